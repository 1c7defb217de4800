"""hostapd.conf: what it sets a radio to, and a file with other settings in it and all else left as it was.

Only what a radio's setting consists of is looked at; passphrases and keys are neither read nor kept. Keys as in
hostapd's own commented example; operating classes and segment numbers as in IEEE 802.11-2020 Annex E (from memory).
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Final

from even_static.core.errors import BadInput
from even_static.core.house.kit import Radio
from even_static.core.house.settings import RadioSetting, setting_block
from even_static.core.spectrum.channels import Block, block_for, channel_mhz
from even_static.core.tables.bands import Band, WidthMhz

LARGEST_CHARACTERS: Final = 1 << 20
# Operating classes of 6 GHz by width, and the numbers of hostapd's *_oper_chwidth by width.
SIX_GHZ_CLASS: Final[dict[int, int]] = {20: 131, 40: 132, 80: 133, 160: 134, 320: 137}
OPER_WIDTH: Final[dict[int, int]] = {20: 0, 40: 0, 80: 1, 160: 2, 320: 9}
_BY_CLASS: Final = {number: width for width, number in SIX_GHZ_CLASS.items()}
_BY_OPER: Final = {1: 80, 2: 160, 9: 320}
_LINE = re.compile(r"^\s*([a-z0-9_]+)\s*=\s*(.*?)\s*$")


@dataclass(frozen=True, slots=True, kw_only=True)
class HostapdRadio:
    """What a hostapd.conf sets: SSID, and the block that the radio is on."""

    ssid: str
    block: Block


def read_hostapd(text: str) -> HostapdRadio:
    """The radio's setting in a hostapd.conf. BadInput names the key, the rule, what came and what is accepted."""
    keys = _keys(text)
    band = _band(keys)
    channel = _whole(keys, "channel", 1, 233)
    width = _width(keys, band)
    segment = next((_whole(keys, k, 0, 255) for k in _segment_keys(band, width) if k in keys), 0)
    centre = channel_mhz(band, segment) if segment else None
    if width == 40 and band != "6 GHz":
        above = "[HT40+]" in keys.get("ht_capab", "")
        centre = channel_mhz(band, channel + (2 if above else -2))
    try:
        block = block_for(band, channel, width, centre)
    except BadInput as error:
        raise BadInput("hostapd.conf, channel", error.rule, error.received, error.accepted) from None
    return HostapdRadio(ssid=keys.get("ssid", ""), block=block)


def write_hostapd(text: str, radio: Radio, setting: RadioSetting, country: str) -> str:
    """A hostapd.conf with a radio's setting in it: the lines of channel and width are set anew, every other line stays
    as it was. Power is not in hostapd's hand: it stands in a comment. BadInput for a file of another band."""
    keys = _keys(text)
    band = _band(keys)
    if band != radio.band:
        raise BadInput("hostapd.conf, hw_mode", "must be of the radio's band", band, radio.band)
    wanted = _wanted(setting_block(radio, setting), country)
    other_abilities = re.sub(r"\[HT40[+-]\]", "", keys.get("ht_capab", ""))
    if other_abilities:
        wanted["ht_capab"] = wanted.get("ht_capab", "") + other_abilities
    ours = {*wanted, *_OURS}
    kept = [line for line in text.splitlines() if not ((m := _LINE.match(line)) and m[1] in ours)]
    kept = [line for line in kept if not line.startswith(_MARK)]
    power = f"{_MARK} {setting.eirp_dbm:g} dBm e.i.r.p. are planned; set them with the driver (txpower)"
    return "\n".join([*kept, power, *(f"{k}={v}" for k, v in wanted.items())]) + "\n"


_MARK = "# even-static:"
_OURS = (
    *("vht_oper_chwidth", "vht_oper_centr_freq_seg0_idx", "he_oper_chwidth", "he_oper_centr_freq_seg0_idx", "op_class"),
    *("eht_oper_chwidth", "eht_oper_centr_freq_seg0_idx", "ht_capab"),
)


def _wanted(block: Block, country: str) -> dict[str, str]:
    lines = {"country_code": country, "channel": str(block.channel)}
    if block.band == "6 GHz":
        lines["op_class"] = str(SIX_GHZ_CLASS[block.width_mhz])
    elif block.width_mhz >= 40:
        above = _first_pair_above(block)
        lines["ht_capab"] = "[HT40+]" if above else "[HT40-]"
    if block.width_mhz >= 80 or block.band == "6 GHz":
        segment = (block.centre_mhz - (5950 if block.band == "6 GHz" else 5000)) // 5
        kind = "eht" if block.width_mhz == 320 else "he" if block.band == "6 GHz" else "vht"
        lines[f"{kind}_oper_chwidth"] = str(OPER_WIDTH[block.width_mhz])
        lines[f"{kind}_oper_centr_freq_seg0_idx"] = str(segment)
    return lines


def _first_pair_above(block: Block) -> bool:
    """Whether the second 20 MHz of the primary 40 MHz lies above the primary channel."""
    own = channel_mhz(block.band, block.channel)
    if block.width_mhz == 40:
        return block.centre_mhz > own
    lowest = block.centre_mhz - block.width_mhz // 2 + 10
    return ((own - lowest) // 20) % 2 == 0


def _keys(text: str) -> dict[str, str]:
    if len(text) > LARGEST_CHARACTERS:
        raise BadInput("hostapd.conf", "must not be longer than a million characters", len(text), "a hostapd.conf")
    found = {m[1]: m[2] for line in text.splitlines() if (m := _LINE.match(line))}
    if "interface" not in found or "channel" not in found:
        missing = "interface" if "interface" not in found else "channel"
        raise BadInput("hostapd.conf", f"must have a line {missing}=", "none", "interface=wlan0, hw_mode=a, channel=36")
    return found


def _band(keys: dict[str, str]) -> Band:
    if "op_class" in keys and _whole(keys, "op_class", 1, 255) in _BY_CLASS:
        return "6 GHz"
    bands: dict[str, Band] = {"a": "5 GHz", "g": "2.4 GHz", "b": "2.4 GHz"}
    mode = keys.get("hw_mode", "")
    if mode not in bands:
        raise BadInput("hostapd.conf, hw_mode", "must give the band", mode or "nothing", "a, b or g")
    return bands[mode]


def _width(keys: dict[str, str], band: Band) -> WidthMhz:
    if band == "6 GHz":
        return _BY_CLASS[_whole(keys, "op_class", 1, 255)]  # type: ignore[return-value]
    for key in ("eht_oper_chwidth", "he_oper_chwidth", "vht_oper_chwidth"):
        if key in keys and (width := _BY_OPER.get(_whole(keys, key, 0, 9))):
            return width  # type: ignore[return-value]
    return 40 if "[HT40" in keys.get("ht_capab", "") else 20


def _segment_keys(band: Band, width: int) -> tuple[str, ...]:
    if width < 80 and band != "6 GHz":
        return ()
    return ("eht_oper_centr_freq_seg0_idx", "he_oper_centr_freq_seg0_idx", "vht_oper_centr_freq_seg0_idx")


def _whole(keys: dict[str, str], key: str, low: int, high: int) -> int:
    value = keys[key]
    if not value.isdecimal() or not low <= int(value) <= high:
        raise BadInput(f"hostapd.conf, {key}", "must be a whole number in its range", value, f"{low} to {high}")
    return int(value)
