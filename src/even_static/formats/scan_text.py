"""What a computer's own tools print of the networks around, recognised by itself: pasted, dropped or run here.

Read are ``nmcli -t`` and ``iw dev ... scan`` (Linux), ``netsh wlan show networks mode=bssid`` (Windows) and
``system_profiler SPAirPortDataType -json`` (macOS). Where only a percentage is given, the level is estimated: 0 to 100
stand for -100 to -50 dBm (Microsoft's wlanSignalQuality; NetworkManager's rule is alike; both from memory), and it says
so. What a tool does not tell is left out; a width that is not told counts as 20 MHz.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Final, Literal

from pydantic import TypeAdapter, ValidationError

from even_static.core.errors import BadInput
from even_static.core.house.readings import Reading, Scan, Security
from even_static.core.house.validate import validate_reading
from even_static.core.spectrum.channels import band_of_mhz, block_for, channel_of_mhz
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.levels_shown import AT_0_PERCENT_DBM, DB_A_PERCENT, PERCENT_SPREAD_DB
from even_static.formats.job_file import from_validation

Tool = Literal["nmcli", "iw", "netsh", "system_profiler"]
NMCLI_FIELDS: Final = "BSSID,SSID,CHAN,FREQ,SIGNAL,SECURITY"
ACCEPTED: Final = (
    f"the text of `nmcli -t -f {NMCLI_FIELDS} device wifi list`, `iw dev wlan0 scan`, "
    "`netsh wlan show networks mode=bssid` or `system_profiler SPAirPortDataType -json`"
)
LARGEST_CHARACTERS: Final = 4 << 20
_READING = TypeAdapter(Reading)
_ADDRESS = r"(?:[0-9A-Fa-f]{2}:){5}[0-9A-Fa-f]{2}"


@dataclass(slots=True, kw_only=True)
class Heard:
    """A network as a tool tells of it; ``line`` is where it begins in the text."""

    line: int
    bssid: str = ""
    ssid: str = ""
    band: Band | None = None
    channel: int | None = None
    width_mhz: int | None = None
    centre_mhz: int | None = None
    rssi_dbm: float | None = None
    percent: float | None = None
    security: Security = "unknown"
    generation: str | None = None
    channel_use_fraction: float | None = None
    stations: int | None = None


def tool_of(text: str) -> Tool | None:
    """Which tool printed a text; None for none of those that are read."""
    head = text.lstrip("\ufeff \r\n\t")
    if head.startswith("{") and "SPAirPortDataType" in head:
        return "system_profiler"
    if re.search(rf"^BSS {_ADDRESS}", head, re.M):
        return "iw"
    if re.search(r"^\s*BSSID 1\s*:", head, re.M):
        return "netsh"
    if re.match(r"(?:[0-9A-Fa-f]{2}\\:){5}[0-9A-Fa-f]{2}:", head):
        return "nmcli"
    return None


def read_scan_text(text: str, *, place_id: str, heard_at: str, source: str, key: str) -> tuple[Scan, list[str]]:
    """(a scan at a place, what is to be known of it in words). BadInput that names line and field."""
    if len(text) > LARGEST_CHARACTERS:
        raise BadInput("scan", "must not be longer than 4 million characters", len(text), ACCEPTED)
    tool = tool_of(text)
    if tool is None:
        first = next((line.strip() for line in text.splitlines() if line.strip()), "nothing")
        raise BadInput("line 1", "must come from a tool that is known", first, ACCEPTED)
    found = list({"nmcli": _nmcli, "iw": _iw, "netsh": _netsh, "system_profiler": _system_profiler}[tool](text))
    readings, notes = [], []
    for heard in found:
        readings.append(_reading(heard))
    best: dict[str, Reading] = {}
    for reading in readings:
        known = best.get(reading.bssid)
        if known is None or reading.level_dbm > known.level_dbm:
            best[reading.bssid] = reading
    if any(h.rssi_dbm is None for h in found):
        notes.append(f"levels from percentages, ±{PERCENT_SPREAD_DB:.0f} dB")
    if any(h.width_mhz is None for h in found):
        notes.append("widths that are not told count as 20 MHz")
    if tool == "system_profiler":
        notes.append("no addresses: networks of one name and channel count as one")
    if not best:
        notes.append("no network was heard")
    kept = sorted(best.values(), key=lambda r: (r.band, r.channel, r.bssid))
    scan = Scan(
        id=key,
        place_id=place_id,
        heard_at=heard_at,
        source=source[:80],
        bands=tuple(b for b in BANDS if any(r.band == b for r in kept)) or BANDS[:1],
        readings=tuple(kept),
        came_from="system scan",
    )
    return scan, notes


def _reading(heard: Heard) -> Reading:
    where = f"line {heard.line}"
    if heard.band is None or heard.channel is None:
        raise BadInput(f"{where}, channel", "must be given", "nothing", "a channel and its band")
    if heard.rssi_dbm is None and heard.percent is None:
        raise BadInput(f"{where}, signal", "must be given", "nothing", "dBm or a percentage")
    width = heard.width_mhz or 20
    level = heard.rssi_dbm if heard.rssi_dbm is not None else AT_0_PERCENT_DBM + DB_A_PERCENT * (heard.percent or 0.0)
    try:
        centre = heard.centre_mhz or block_for(heard.band, heard.channel, width).centre_mhz
        values: dict[str, Any] = {
            "bssid": heard.bssid.lower(),
            "ssid": heard.ssid,
            "band": heard.band,
            "channel": heard.channel,
            "centre_mhz": centre,
            "width_mhz": width,
            "rssi_dbm": float(min(max(level, -120.0), 0.0)),
            "security": heard.security,
            "estimated": heard.rssi_dbm is None,
            "spread_db": PERCENT_SPREAD_DB if heard.rssi_dbm is None else None,
            "generation": heard.generation,
            "channel_use_fraction": heard.channel_use_fraction,
            "stations": heard.stations,
        }
        reading = _READING.validate_python(values)
        validate_reading(reading)
    except ValidationError as error:
        said = from_validation(error)
        raise BadInput(f"{where}, {said.field}", said.rule, said.received, said.accepted) from None
    except BadInput as error:
        raise BadInput(f"{where}, {error.field}", error.rule, error.received, error.accepted) from None
    return reading


def _number(text: str, line: int, field: str) -> float:
    found = re.match(r"\s*(-?\d+(?:\.\d+)?)", text)
    if found is None:
        raise BadInput(f"line {line}, {field}", "must begin with a number", text.strip(), "a number")
    return float(found[1])


def _on(heard: Heard, frequency_mhz: float) -> None:
    """The channel of a frequency in MHz."""
    try:
        heard.band, heard.channel = band_of_mhz(frequency_mhz), channel_of_mhz(frequency_mhz)
    except BadInput as error:
        raise BadInput(f"line {heard.line}, frequency", error.rule, error.received, error.accepted) from None


# -- Linux ---------------------------------------------------------------------------------------------------------


def _nmcli(text: str) -> Iterator[Heard]:
    """Terse lines of ``nmcli -t -f BSSID,SSID,CHAN,FREQ,SIGNAL,SECURITY``: colons in values are escaped."""
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        cells = [re.sub(r"\\(.)", r"\1", c) for c in re.split(r"(?<!\\):", line)]
        if len(cells) < 6:
            rule = f"must hold {NMCLI_FIELDS}"
            raise BadInput(f"line {number}", rule, f"{len(cells)} values", f"nmcli -t -f {NMCLI_FIELDS}")
        heard = Heard(line=number, bssid=cells[0], ssid="" if cells[1] == "--" else cells[1])
        _on(heard, _number(cells[3], number, "FREQ"))
        heard.percent = _number(cells[4], number, "SIGNAL")
        heard.security = _security(cells[5])
        yield heard


def _iw(text: str) -> Iterator[Heard]:
    """Blocks of ``iw dev ... scan``, each from its ``BSS`` line on."""
    heard: Heard | None = None
    secondary = ""
    for number, line in enumerate(text.splitlines(), 1):
        begin = re.match(rf"BSS ({_ADDRESS})", line)
        if begin:
            if heard is not None:
                yield heard
            heard, secondary = Heard(line=number, bssid=begin[1], security="open"), ""
            continue
        if heard is None:
            continue
        name, _, value = line.strip().lstrip("* ").partition(":")
        name, value = name.strip().lower(), value.strip()
        if name == "secondary channel offset":
            secondary = value
        _iw_line(heard, number, name, value, secondary)
    if heard is not None:
        yield heard


def _iw_line(heard: Heard, number: int, name: str, value: str, secondary: str) -> None:
    if name == "freq":
        _on(heard, _number(value, number, "freq"))
    elif name == "signal":
        heard.rssi_dbm = _number(value, number, "signal")
    elif name == "ssid":
        heard.ssid = value
    elif name == "rsn":
        heard.security = "WPA2"
    elif name == "wpa" and heard.security == "open":
        heard.security = "WPA"
    elif name == "authentication suites" and "SAE" in value:
        heard.security = "WPA2/WPA3" if "PSK" in value else "WPA3"
    elif name == "capability" and "Privacy" in value and heard.security == "open":
        heard.security = "WEP"
    elif name in ("ht capabilities", "vht capabilities", "he capabilities", "eht capabilities"):
        newest = {"ht": "802.11n", "vht": "802.11ac", "he": "802.11ax", "eht": "802.11be"}[name.split()[0]]
        heard.generation = max(heard.generation or "", newest, key=_age)
    elif name == "sta channel width":
        heard.width_mhz = 40 if "any" in value else 20
        if heard.width_mhz == 40 and secondary in ("above", "below") and heard.band and heard.channel:
            heard.centre_mhz = block_for(heard.band, heard.channel, 20).centre_mhz + (
                10 if secondary == "above" else -10
            )
    elif name == "channel width" and "80" in value:
        heard.width_mhz, heard.centre_mhz = (160 if "160" in value else 80), None
    elif name == "channel utilisation":
        used, _, of = value.partition("/")
        heard.channel_use_fraction = round(_number(used, number, "channel utilisation") / float(of or 255), 4)
    elif name == "station count":
        heard.stations = int(_number(value, number, "station count"))


def _age(generation: str) -> int:
    return ("", "802.11n", "802.11ac", "802.11ax", "802.11be").index(generation)


# -- Windows -------------------------------------------------------------------------------------------------------


def _netsh(text: str) -> Iterator[Heard]:
    """Blocks of ``netsh wlan show networks mode=bssid``: an SSID with its security, then each of its BSSIDs."""
    ssid, security = "", "unknown"
    heard: Heard | None = None
    for number, line in enumerate(text.splitlines(), 1):
        name, _, value = line.partition(":")
        name, value = name.strip(), value.strip()
        if re.fullmatch(r"SSID \d+", name):
            ssid, security = value, "unknown"
        elif name == "Authentication":
            security = _security(value)
        elif re.fullmatch(r"BSSID \d+", name):
            if heard is not None:
                yield heard
            heard = Heard(line=number, bssid=value, ssid=ssid, security=security)  # type: ignore[arg-type]
        elif heard is not None:
            _netsh_line(heard, number, name, value)
    if heard is not None:
        yield heard


def _netsh_line(heard: Heard, number: int, name: str, value: str) -> None:
    if name == "Signal":
        heard.percent = _number(value, number, "Signal")
    elif name == "Radio type":
        heard.generation = value if re.fullmatch(r"802\.11(b|a|g|n|ac|ax|be)", value) else None
    elif name == "Band":
        heard.band = next((b for b in BANDS if value.replace(",", ".").startswith(b.split()[0])), None)
    elif name == "Channel":
        heard.channel = int(_number(value, number, "Channel"))
        # Older Windows tells no band; channels above 14 are at 5 GHz then, for it knows no 6 GHz.
        heard.band = heard.band or ("2.4 GHz" if heard.channel <= 14 else "5 GHz")
    elif name == "Channel Utilization" or name == "Channel utilization":
        heard.channel_use_fraction = round(_number(value, number, name) / 255, 4)
    elif name in ("Connected Stations", "Connected stations"):
        heard.stations = int(_number(value, number, name))


# -- macOS ---------------------------------------------------------------------------------------------------------


def _system_profiler(text: str) -> Iterator[Heard]:
    """Networks in reach of ``system_profiler SPAirPortDataType -json``; the one that is joined stands apart there."""
    try:
        data = json.loads(text)
        interfaces = [i for part in data["SPAirPortDataType"] for i in part.get("spairport_airport_interfaces", ())]
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise BadInput("scan", f"must be whole JSON of system_profiler ({error})", None, ACCEPTED) from None
    number = 0
    for interface in interfaces:
        joined = interface.get("spairport_current_network_information")
        others = interface.get("spairport_airport_other_local_wireless_networks") or []
        for network in [*([joined] if isinstance(joined, dict) else []), *others]:
            number += 1
            if isinstance(network, dict) and network.get("spairport_signal_noise"):
                yield _mac(network, number)


def _mac(network: dict[str, Any], number: int) -> Heard:
    said = str(network.get("spairport_network_channel", ""))
    channel = re.match(r"(\d+)\s*\((2|5|6)GHz(?:,\s*(\d+)MHz)?\)", said)
    if channel is None:
        raise BadInput(f"network {number}, spairport_network_channel", "must be given", said, "36 (5GHz, 80MHz)")
    ssid = str(network.get("_name", ""))
    digest = hashlib.blake2b(f"{ssid}/{said}".encode(), digest_size=5).hexdigest()
    band: Band = {"2": "2.4 GHz", "5": "5 GHz", "6": "6 GHz"}[channel[2]]  # type: ignore[assignment]
    return Heard(
        line=number,
        bssid=str(network.get("spairport_network_bssid") or "02:" + ":".join(re.findall("..", digest))),
        ssid="" if ssid == "<redacted>" else ssid,
        band=band,
        channel=int(channel[1]),
        width_mhz=int(channel[3]) if channel[3] else None,
        rssi_dbm=_number(str(network["spairport_signal_noise"]), number, "spairport_signal_noise"),
        security=_security(str(network.get("spairport_security_mode", ""))),
    )


def _security(text: str) -> Security:
    """Security from what a tool calls it."""
    said = text.lower()
    if any(w in said for w in ("enterprise", "802.1x")):
        return "WPA3-Enterprise" if "wpa3" in said else "WPA2-Enterprise"
    three, two = "wpa3" in said or "sae" in said, "wpa2" in said or "rsn" in said
    one = bool(re.search(r"wpa(?![23])", said))
    for fits, found in (
        ("transition" in said or (three and two), "WPA2/WPA3"),
        (three, "WPA3"),
        (two and one, "WPA/WPA2"),
        (two, "WPA2"),
        (one, "WPA"),
        ("wep" in said, "WEP"),
        ("owe" in said, "OWE"),
        (said in ("", "--", "open") or "none" in said, "open"),
    ):
        if fits:
            return found  # type: ignore[return-value]
    return "unknown"
