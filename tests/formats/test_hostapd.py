"""hostapd.conf: read into a call, and written with a radio's setting in it.

What is written is given to the real hostapd (Debian's package), with no radio behind it: it names every key and value
that it does not know. Which number stands for which width is from memory of IEEE 802.11-2020 Annex E; hostapd bears out
that the operating classes are of 6 GHz, and of which width (its rule that 6 GHz needs WPA3 is one for those classes).
"""

from __future__ import annotations

import shutil
import subprocess
from dataclasses import replace

import pytest
from tests.conftest import local_client
from tests.houses import random_house

from even_static.api.app import create_app
from even_static.core.errors import BadInput
from even_static.core.house.settings import setting_block
from even_static.core.spectrum.channels import blocks
from even_static.core.tables.bands import BANDS
from even_static.formats.hostapd import read_hostapd, write_hostapd

FIVE = """# the access point in the hall
interface=wlan0
driver=nl80211
ssid=wickerwork
hw_mode=a
channel=36
country_code=NL
ieee80211d=1
ieee80211h=1
ieee80211n=1
ieee80211ac=1
ht_capab=[HT40+][SHORT-GI-40]
vht_oper_chwidth=1
vht_oper_centr_freq_seg0_idx=42
wpa=2
wpa_passphrase=never to be kept
"""
TWO = "interface=wlan1\nhw_mode=g\nchannel=6\nssid=wickerwork\nieee80211n=1\n"
SIX = "interface=wlan2\nhw_mode=a\nchannel=5\nop_class=133\nhe_oper_chwidth=1\nhe_oper_centr_freq_seg0_idx=7\nssid=w\n"


@pytest.mark.parametrize(
    ("text", "band", "channel", "width", "centre"),
    [
        (FIVE, "5 GHz", 36, 80, 5210),
        (TWO, "2.4 GHz", 6, 20, 2437),
        (TWO + "ht_capab=[HT40-]\n", "2.4 GHz", 6, 40, 2427),
        (TWO + "ht_capab=[HT40+]\n", "2.4 GHz", 6, 40, 2447),
        (FIVE.replace("vht_oper_chwidth=1", "vht_oper_chwidth=2").replace("=42", "=50"), "5 GHz", 36, 160, 5250),
        (FIVE.replace("vht_oper_chwidth=1", "vht_oper_chwidth=0"), "5 GHz", 36, 40, 5190),
        (SIX, "6 GHz", 5, 80, 5985),
    ],
)
def test_what_a_file_sets_is_read(text, band, channel, width, centre):
    found = read_hostapd(text).block
    assert (found.band, found.channel, found.width_mhz, found.centre_mhz) == (band, channel, width, centre)


@pytest.mark.parametrize("band", BANDS)
def test_every_block_is_written_and_read_back(band):
    """All channels and widths of a band, through the file and back; the passphrase and comments stay."""
    house = random_house(3, nodes=1)
    radio = replace(next(r for r in house.radios if r.band == band), widths_mhz=(20, 40, 80, 160, 320))
    start = {"2.4 GHz": TWO, "5 GHz": FIVE, "6 GHz": SIX}[band]
    count = 0
    for width in radio.widths_mhz:
        for block in blocks(band, width):
            if block.centre2_mhz is not None or block.channel == 14:
                continue
            setting = replace(
                house.settings.of(radio.id), channel=block.channel, width_mhz=width, centre_mhz=block.centre_mhz
            )
            text = write_hostapd(start, radio, setting, "NL")
            assert read_hostapd(text).block == setting_block(radio, setting), text
            assert write_hostapd(text, radio, setting, "NL") == text
            count += 1
    assert count > 10
    if band == "5 GHz":
        assert "# the access point in the hall" in text
        assert "wpa_passphrase=never to be kept" in text
        assert "ieee80211h=1" in text
        assert "[SHORT-GI-40]" in text


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "must have a line interface="),
        ("interface=wlan0\nhw_mode=a\n", "must have a line channel="),
        ("interface=wlan0\nchannel=36\n", "hw_mode: must give the band; received nothing; accepted: a, b or g"),
        (
            "interface=wlan0\nhw_mode=a\nchannel=acs_survey\n",
            "channel: must be a whole number in its range",
        ),
        ("interface=wlan0\nhw_mode=a\nchannel=37\n", "must be the primary channel of a 20 MHz block"),
        ("x" * (1 << 21), "must not be longer"),
    ],
)
def test_what_cannot_be_read_says_why(text, said):
    with pytest.raises(BadInput, match=said):
        read_hostapd(text)


def test_a_file_becomes_the_call_s_setting_and_no_secret_is_kept(store):
    job = replace(random_house(4, nodes=1), kind="real")
    radio = next(r for r in job.radios if r.band == "5 GHz")
    call = store.add(job)
    client = local_client(create_app(store))
    path = f"/api/calls/{call.id}/radios/{radio.id}"
    assert client.post(f"{path}/hostapd", content=FIVE).status_code == 200
    now = store.get(call.id).job
    setting = now.settings.of(radio.id)
    assert (setting.channel, setting.width_mhz, setting.centre_mhz) == (36, 80, 5210)
    assert now.radio(radio.id).ssid == "wickerwork"
    assert "never to be kept" not in client.get(f"/api/calls/{call.id}/export").text
    written = client.post(f"{path}/hostapd.conf", content=FIVE)
    assert read_hostapd(written.text).block == setting_block(now.radio(radio.id), setting)
    wrong = client.post(f"{path}/hostapd", content=TWO).json()["error"]
    assert (wrong["field"], wrong["received"], wrong["accepted"]) == ("band", "2.4 GHz", "5 GHz")
    assert client.post(f"/api/calls/{call.id}/radios/ghost/hostapd", content=FIVE).status_code == 404


SAFE = "driver=none\nwpa=2\nwpa_key_mgmt=SAE\nrsn_pairwise=CCMP\nieee80211w=2\nsae_password=invented for this test\n"


def told_by_hostapd(tmp_path, text, more=SAFE):
    """What hostapd says of a file, until it runs or gives up."""
    path = tmp_path / "hostapd.conf"
    # A country would have it wait for a driver; other drivers need a radio.
    left_out = ("country_code", "driver", "wpa", "ieee80211d", "ieee80211h")
    kept = [line for line in text.splitlines() if not line.startswith(left_out)]
    path.write_text("\n".join(kept) + "\n" + more, encoding="utf-8")
    run = subprocess.Popen(["hostapd", str(path)], stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    said = ""
    for line in run.stdout:
        said += line
        if "AP-ENABLED" in line or "errors found" in line:
            break
    run.terminate()
    run.communicate(timeout=10)
    return said


@pytest.mark.skipif(shutil.which("hostapd") is None, reason="hostapd comes with the test tools")
@pytest.mark.parametrize("band", BANDS)
def test_the_real_hostapd_takes_what_is_written(band, tmp_path):
    house = random_house(3, nodes=1)
    radio = replace(next(r for r in house.radios if r.band == band), widths_mhz=(20, 40, 80, 160))
    start = {"2.4 GHz": TWO, "5 GHz": FIVE, "6 GHz": SIX}[band]
    for width in radio.widths_mhz:
        plain = [b for b in blocks(band, width) if b.centre2_mhz is None and b.channel != 14]
        for block in plain[:1] + plain[-1:]:
            setting = replace(
                house.settings.of(radio.id), channel=block.channel, width_mhz=width, centre_mhz=block.centre_mhz
            )
            text = write_hostapd(start, radio, setting, "NL")
            assert "AP-ENABLED" in told_by_hostapd(tmp_path, text), text
    # It does look: what it does not know, and a class of 6 GHz without WPA3, it refuses.
    assert "unknown configuration item" in told_by_hostapd(tmp_path, text + "vht_oper_width=1\n")
    if band == "6 GHz":
        assert "not allowed in 6 GHz" in told_by_hostapd(tmp_path, text, "driver=none\n")
