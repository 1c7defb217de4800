"""Elements of beacons and probe responses: what a network announces (IEEE 802.11-2020 9.4.2, ax, be; from memory)."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.house.readings import Security
from even_static.core.spectrum.channels import BAND_EDGES_MHZ, channel_mhz
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import Generation

SSID, RATES, DS, COUNTRY, BSS_LOAD, HT_CAPABILITIES, RSN, EXTENDED_RATES, HT_OPERATION = 0, 1, 3, 7, 11, 45, 48, 50, 61
VHT_CAPABILITIES, VHT_OPERATION, VENDOR, EXTENSION = 191, 192, 221, 255
HE_CAPABILITIES, HE_OPERATION, EHT_OPERATION, EHT_CAPABILITIES = 35, 36, 106, 108
_WPA_VENDOR = b"\x00\x50\xf2\x01"
_RSN_OUI = b"\x00\x0f\xac"
_PSK, _SAE, _OWE = {2, 4, 6, 19, 20}, {8, 9, 24, 25}, {18}
_ENTERPRISE, _ENTERPRISE_3 = {1, 3, 5}, {11, 12, 13, 22, 23}
_DSSS_RATES_500KBPS = {2, 4, 11, 22}
_SELECTORS = {121, 122, 123, 124, 125, 126, 127}


@dataclass(frozen=True, slots=True, kw_only=True)
class Announced:
    """What a network says of itself in one frame; ``malformed`` when an element ran over its end."""

    ssid: bytes
    band: Band
    channel: int
    centre_mhz: int
    width_mhz: int
    centre2_mhz: int | None
    generation: Generation
    security: Security
    country: str | None
    slowest_basic_rate_mbps: float | None
    malformed: bool


@dataclass(frozen=True, slots=True)
class Load:
    """BSS Load: stations, and channel use as a fraction."""

    stations: int
    channel_use_fraction: float


Elements = dict[int, bytes]


def split_elements(body: bytes) -> tuple[Elements, Elements, list[bytes], bool]:
    """(elements, extension elements, vendor elements, malformed): the first of each kind counts."""
    found: Elements = {}
    extensions: Elements = {}
    vendors: list[bytes] = []
    at, end = 0, len(body)
    while at + 2 <= end:
        kind, length = body[at], body[at + 1]
        value = body[at + 2 : at + 2 + length]
        if len(value) < length:
            return found, extensions, vendors, True
        if kind == EXTENSION:
            if value:
                extensions.setdefault(value[0], value[1:])
        elif kind == VENDOR:
            vendors.append(value)
        else:
            found.setdefault(kind, value)
        at += 2 + length
    return found, extensions, vendors, at != end


def announced(
    capability: int, body: bytes, frequency_mhz: int | None, band: Band | None
) -> tuple[Announced, Load | None]:
    """What a beacon or probe response announces. ``body`` starts at the elements; the band comes from radiotap."""
    elements, extensions, vendors, malformed = split_elements(body)
    six = _six_ghz(extensions.get(HE_OPERATION, b""))
    if band is None:
        band = _guess_band(elements, six)
    channel = _primary(elements, six, band, frequency_mhz)
    centre_mhz, width, second = _block(elements, extensions, six, band, channel)
    rates = elements.get(RATES, b"") + elements.get(EXTENDED_RATES, b"")
    basic = [(r & 0x7F) / 2 for r in rates if r & 0x80 and (r & 0x7F) not in _SELECTORS]
    country = elements.get(COUNTRY, b"")[:2]
    load = elements.get(BSS_LOAD, b"")
    return (
        Announced(
            ssid=elements.get(SSID, b"")[:32],
            band=band,
            channel=channel,
            centre_mhz=centre_mhz,
            width_mhz=width,
            centre2_mhz=second,
            generation=_generation(elements, extensions, band, rates),
            security=_security(capability, elements, vendors),
            country=country.decode("ascii") if len(country) == 2 and country.isalnum() and country.isascii() else None,
            slowest_basic_rate_mbps=min(basic, default=None),
            malformed=malformed,
        ),
        Load(int.from_bytes(load[:2], "little"), load[2] / 255) if len(load) >= 5 else None,
    )


def _guess_band(elements: Elements, six: bytes) -> Band:
    if six:
        return "6 GHz"
    number = (elements.get(DS) or elements.get(HT_OPERATION) or b"\x01")[0]
    return "2.4 GHz" if number <= 14 else "5 GHz"


def _six_ghz(he_operation: bytes) -> bytes:
    """The 6 GHz operation information inside an HE operation element, or nothing."""
    if len(he_operation) < 6:
        return b""
    parameters = int.from_bytes(he_operation[:3], "little")
    if not parameters & (1 << 17):
        return b""
    at = 6 + (3 if parameters & (1 << 14) else 0) + (1 if parameters & (1 << 15) else 0)
    return he_operation[at : at + 5] if len(he_operation) >= at + 5 else b""


def _vht_in_he(he_operation: bytes) -> bytes:
    if len(he_operation) < 9 or not int.from_bytes(he_operation[:3], "little") & (1 << 14):
        return b""
    return he_operation[6:9]


def _primary(elements: Elements, six: bytes, band: Band, frequency_mhz: int | None) -> int:
    if band == "6 GHz" and six:
        return six[0]
    if band != "6 GHz":
        for kind in (DS, HT_OPERATION) if band == "2.4 GHz" else (HT_OPERATION, DS):
            number = (elements.get(kind) or b"\x00")[0]
            if (1 <= number <= 14) if band == "2.4 GHz" else (number >= 32):
                return number
    if frequency_mhz == 2484:
        return 14
    start = {"2.4 GHz": 2407, "5 GHz": 5000, "6 GHz": 5950}[band]
    return max(1, round(((frequency_mhz or start + 5) - start) / 5))


def _block(
    elements: Elements, extensions: Elements, six: bytes, band: Band, channel: int
) -> tuple[int, int, int | None]:
    """(centre in MHz, width in MHz, second centre in MHz) from the newest operation element that tells."""
    primary = channel_mhz(band, channel)
    eht = extensions.get(EHT_OPERATION, b"")
    if len(eht) >= 8 and eht[0] & 1:
        width = {0: 20, 1: 40, 2: 80, 3: 160, 4: 320}.get(eht[5] & 7, 20)
        centre = eht[7] if width >= 160 and eht[7] else eht[6]
        if centre and _fits(band, channel_mhz(band, centre), width):
            return channel_mhz(band, centre), width, None
    if band == "6 GHz":
        if len(six) == 5:
            found = _wide({0: 20, 1: 40, 2: 80, 3: 160}[six[1] & 3], six[2], six[3], band, primary)
            if _fits_all(band, *found):
                return found
        return primary, 20, None
    vht = elements.get(VHT_OPERATION, b"")[:3] or _vht_in_he(extensions.get(HE_OPERATION, b""))
    if band == "5 GHz" and len(vht) == 3 and vht[0] in (1, 2, 3) and vht[1]:
        if vht[0] == 3:
            found = channel_mhz(band, vht[1]), 160, channel_mhz(band, vht[2]) if vht[2] else None
        else:
            found = _wide({1: 80, 2: 160}[vht[0]], vht[1], vht[2], band, primary)
        if _fits_all(band, *found):
            return found
    ht = elements.get(HT_OPERATION, b"")
    if len(ht) >= 2 and ht[1] & 4 and ht[1] & 3 in (1, 3):
        return primary + (10 if ht[1] & 3 == 1 else -10), 40, None
    return primary, 20, None


def _fits(band: Band, centre_mhz: int, width_mhz: int) -> bool:
    """Whether a block lies in its band: a centre that does not is an announcement gone wrong."""
    low, high = BAND_EDGES_MHZ[band]
    return low <= centre_mhz - width_mhz / 2 and centre_mhz + width_mhz / 2 <= high


def _fits_all(band: Band, centre_mhz: int, width_mhz: int, centre2_mhz: int | None) -> bool:
    """:func:`_fits` for a block that may have a second segment."""
    if centre2_mhz is None:
        return _fits(band, centre_mhz, width_mhz)
    return _fits(band, centre_mhz, width_mhz // 2) and _fits(band, centre2_mhz, width_mhz // 2)


def _wide(width: int, first: int, second: int, band: Band, primary: int) -> tuple[int, int, int | None]:
    """A block from the two centre segments of VHT or 6 GHz operation information."""
    if width < 80 or (not second and width == 80) or not first:
        return (channel_mhz(band, first) if first else primary), width, None
    apart = abs(second - first)
    if not second:
        return channel_mhz(band, first), width, None
    if apart == 8:
        return channel_mhz(band, second), 160, None
    if apart > 16:
        return channel_mhz(band, first), 160, channel_mhz(band, second)
    return channel_mhz(band, first), width, None


def _generation(elements: Elements, extensions: Elements, band: Band, rates: bytes) -> Generation:
    if EHT_CAPABILITIES in extensions or EHT_OPERATION in extensions:
        return "802.11be"
    if HE_CAPABILITIES in extensions or HE_OPERATION in extensions:
        return "802.11ax"
    if band == "5 GHz" and (VHT_CAPABILITIES in elements or VHT_OPERATION in elements):
        return "802.11ac"
    if HT_CAPABILITIES in elements or HT_OPERATION in elements:
        return "802.11n"
    if band == "5 GHz":
        return "802.11a"
    plain = {r & 0x7F for r in rates} - _SELECTORS
    return "802.11b" if plain and plain <= _DSSS_RATES_500KBPS else "802.11g"


def rsn_suites(rsn: bytes) -> set[int] | None:
    """Key management suites of an RSN element; None when it ends too early to tell."""
    if len(rsn) < 8:
        return None
    at = 8 + 4 * int.from_bytes(rsn[6:8], "little")
    if len(rsn) < at + 2:
        return None
    count = int.from_bytes(rsn[at : at + 2], "little")
    suites = [rsn[at + 2 + 4 * i : at + 6 + 4 * i] for i in range(count)]
    if any(len(s) < 4 for s in suites):
        return None
    return {s[3] for s in suites if s[:3] == _RSN_OUI}


def _security(capability: int, elements: Elements, vendors: list[bytes]) -> Security:
    old = any(v.startswith(_WPA_VENDOR) for v in vendors)
    if RSN not in elements:
        return "WPA" if old else "WEP" if capability & 0x10 else "open"
    suites = rsn_suites(elements[RSN])
    if suites is None:
        return "unknown"
    if suites & _OWE:
        return "OWE"
    if suites & _SAE:
        return "WPA2/WPA3" if suites & _PSK else "WPA3"
    if suites & _PSK:
        return "WPA/WPA2" if old else "WPA2"
    if suites & _ENTERPRISE_3:
        return "WPA3-Enterprise"
    return "WPA2-Enterprise" if suites & _ENTERPRISE else "unknown"
