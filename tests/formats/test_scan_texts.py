"""Texts of the tools that operating systems bring along. The examples are written by hand after their documentation
(man nmcli-examples, man iw, Microsoft's netsh wlan reference, man system_profiler); from memory, addresses invented."""

from __future__ import annotations

import json

import pytest

from even_static.core.errors import BadInput, InstrumentFault
from even_static.formats.scan_text import NMCLI_FIELDS, read_scan_text, tool_of
from even_static.instruments.system import wifi

NMCLI = r"""02\:11\:22\:33\:44\:55:home\: attic:6:2437 MHz:74:WPA2
02\:11\:22\:33\:44\:56:home:36:5180 MHz:52:WPA2 WPA3
02\:aa\:bb\:cc\:dd\:01:--:11:2462 MHz:29:
"""
IW = """BSS 02:11:22:33:44:55(on wlan0) -- associated
\tfreq: 5180
\tbeacon interval: 100 TUs
\tcapability: ESS Privacy SpectrumMgmt (0x0111)
\tsignal: -54.00 dBm
\tSSID: home
\tBSS Load:
\t\t * station count: 3
\t\t * channel utilisation: 51/255
\tRSN:\t * Version: 1
\t\t * Group cipher: CCMP
\t\t * Authentication suites: PSK SAE
\tHT capabilities:
\tHT operation:
\t\t * primary channel: 36
\t\t * secondary channel offset: above
\t\t * STA channel width: any
\tVHT capabilities:
\tVHT operation:
\t\t * channel width: 1 (80 MHz)
\t\t * center freq segment 1: 42
BSS 02:aa:bb:cc:dd:01(on wlan0)
\tfreq: 2412
\tcapability: ESS (0x0001)
\tsignal: -81.00 dBm
\tSSID:\x20
"""
NETSH = """
Interface name : Wi-Fi
There are 2 networks currently visible.

SSID 1 : home
    Network type            : Infrastructure
    Authentication          : WPA2-Personal
    Encryption              : CCMP
    BSSID 1                 : 02:11:22:33:44:55
         Signal             : 84%
         Radio type         : 802.11ax
         Band               : 5 GHz
         Channel            : 36
         Connected Stations:         3
         Channel Utilization:        51 (20 %)
    BSSID 2                 : 02:11:22:33:44:56
         Signal             : 60%
         Radio type         : 802.11n
         Channel            : 11

SSID 2 :
    Authentication          : Open
    BSSID 1                 : 02:aa:bb:cc:dd:01
         Signal             : 20%
         Radio type         : 802.11g
         Channel            : 1
"""
MAC = json.dumps(
    {
        "SPAirPortDataType": [
            {
                "spairport_airport_interfaces": [
                    {
                        "spairport_current_network_information": {
                            "_name": "home",
                            "spairport_network_channel": "36 (5GHz, 80MHz)",
                            "spairport_security_mode": "spairport_security_mode_wpa2_personal",
                            "spairport_signal_noise": "-54 dBm / -92 dBm",
                        },
                        "spairport_airport_other_local_wireless_networks": [
                            {
                                "_name": "garden",
                                "spairport_network_channel": "11 (2GHz, 20MHz)",
                                "spairport_security_mode": "spairport_security_mode_none",
                                "spairport_signal_noise": "-77 dBm / -90 dBm",
                            }
                        ],
                    }
                ]
            }
        ]
    }
)


def take(text):
    return read_scan_text(text, place_id="hall", heard_at="2026-03-02T19:00:00Z", source="pasted text", key="scan")


@pytest.mark.parametrize(
    ("text", "tool"), [(NMCLI, "nmcli"), (IW, "iw"), (NETSH, "netsh"), (MAC, "system_profiler"), ("hello", None)]
)
def test_every_text_is_recognised_by_itself(text, tool):
    assert tool_of(text) == tool


def test_percentages_are_estimates_that_say_so():
    """0 to 100 stand for -100 to -50 dBm (Microsoft's wlanSignalQuality, from memory)."""
    scan, notes = take(NMCLI)
    assert scan.came_from == "system scan"
    by = {r.bssid: r for r in scan.readings}
    first = by["02:11:22:33:44:55"]
    assert (first.ssid, first.band, first.channel, first.rssi_dbm) == ("home: attic", "2.4 GHz", 6, -63.0)
    assert first.estimated
    assert first.spread_db > 0
    assert by["02:11:22:33:44:56"].security == "WPA2/WPA3"
    hidden = by["02:aa:bb:cc:dd:01"]
    assert (hidden.ssid, hidden.security) == ("", "open")
    assert any("percentages" in n for n in notes)


def test_iw_tells_levels_widths_and_loads():
    scan, notes = take(IW)
    wide = next(r for r in scan.readings if r.band == "5 GHz")
    assert (wide.rssi_dbm, wide.width_mhz, wide.centre_mhz, wide.estimated) == (-54.0, 80, 5210, False)
    assert (wide.channel_use_fraction, wide.stations, wide.security) == (0.2, 3, "WPA2/WPA3")
    assert wide.generation == "802.11ac"
    plain = next(r for r in scan.readings if r.band == "2.4 GHz")
    assert (plain.security, plain.ssid, plain.rssi_dbm) == ("open", "", -81.0)
    assert not any("percentages" in n for n in notes)


def test_netsh_blocks_belong_to_their_ssid():
    scan, _ = take(NETSH)
    by = {r.bssid: r for r in scan.readings}
    assert [by[f"02:11:22:33:44:5{n}"].ssid for n in (5, 6)] == ["home", "home"]
    assert (by["02:11:22:33:44:55"].rssi_dbm, by["02:11:22:33:44:55"].channel_use_fraction) == (-58.0, 0.2)
    # Older Windows tells no band.
    assert by["02:11:22:33:44:56"].band == "2.4 GHz"
    assert by["02:aa:bb:cc:dd:01"].security == "open"


def test_macos_tells_no_addresses_and_the_scan_says_so():
    scan, notes = take(MAC)
    assert [(r.ssid, r.channel, r.width_mhz, r.rssi_dbm) for r in scan.readings] == [
        ("garden", 11, 20, -77.0),
        ("home", 36, 80, -54.0),
    ]
    assert all(r.bssid.startswith("02:") for r in scan.readings)
    assert take(MAC)[0].readings == scan.readings, "the same made-up addresses each time"
    assert any("no addresses" in n for n in notes)


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("what is this", "line 1"),
        (NMCLI + "02\\:11\\:22\\:33\\:44\\:57:x:6:hello:1:WPA2\n", "line 4, FREQ"),
        (NMCLI + "02\\:11\\:22\\:33\\:44\\:57:x:6\n", "line 4"),
        (IW.replace("freq: 2412", "freq: 9999"), "line 22, frequency"),
        (NETSH.replace("Signal             : 84%", "Signal             : loud"), "line 10, Signal"),
        (MAC.replace("11 (2GHz, 20MHz)", "eleven"), "network 2, spairport_network_channel"),
        (MAC[:-3], "scan"),
    ],
)
def test_errors_name_the_line(text, field):
    with pytest.raises(BadInput) as caught:
        take(text)
    assert caught.value.field == field


@pytest.mark.parametrize(
    ("platform", "tools", "wanted"),
    [
        ("linux", {"nmcli", "iw"}, ["nmcli", "-t", "-f", NMCLI_FIELDS, "device", "wifi", "list", "--rescan", "yes"]),
        ("win32", {"netsh"}, ["netsh", "wlan", "show", "networks", "mode=bssid"]),
        ("darwin", {"system_profiler"}, ["system_profiler", "SPAirPortDataType", "-json"]),
    ],
)
def test_each_system_s_own_tool_is_asked(platform, tools, wanted):
    asked = []

    def run(command, seconds):
        asked.append(command)
        return "text"

    assert wifi.scan_text(run, platform, lambda name: name if name in tools else None) == "text"
    assert asked == [wanted]


def test_without_networkmanager_iw_is_asked_for_its_interface():
    answers = {"dev": "phy#0\n\tInterface wlp3s0\n", "scan": IW}
    asked = []

    def run(command, seconds):
        asked.append(command)
        return answers[command[-1]]

    assert wifi.scan_text(run, "linux", lambda name: name if name == "iw" else None) == IW
    assert asked[-1] == ["iw", "dev", "wlp3s0", "scan"]


def test_a_computer_without_a_card_says_what_to_do():
    with pytest.raises(InstrumentFault, match="paste"):
        wifi.scan_text(lambda command, seconds: "", "linux", lambda name: None)
    with pytest.raises(InstrumentFault, match="must hear"):
        wifi.scan_text(lambda command, seconds: " ", "linux", lambda name: name)
