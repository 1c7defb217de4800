"""What a place hears, ready to be drawn: strips of spectrum, airtime by channel, and the Zigbee slots."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import Settings, setting_block
from even_static.core.house.sources import IN_WORDS
from even_static.core.model.evaluate import zigbee_figures
from even_static.core.model.interference import noise_states
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.spectrum.channels import CHANNELS_20MHZ, ZIGBEE_CHANNELS, channel_mhz, zigbee_mhz
from even_static.core.spectrum.deference import decodes_and_feels
from even_static.core.spectrum.lawful import lawful_blocks
from even_static.core.survey.air import newest_scans
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.propagation import UNHEARD_DBM

EDGES_MHZ: dict[Band, tuple[int, int]] = {"2.4 GHz": (2400, 2484), "5 GHz": (5150, 5895), "6 GHz": (5925, 7125)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Strip:
    """A network as heard: edges in MHz of what it occupies, level, and its reading."""

    reading: Reading
    own_radio_id: str | None
    primary_mhz: int
    segments_mhz: tuple[tuple[float, float], ...]
    strength: str


@dataclass(frozen=True, slots=True, kw_only=True)
class ChannelLoad:
    """A 20 MHz channel as a radio at this place would meet it."""

    channel: int
    centre_mhz: int
    lawful: bool
    dfs: bool
    busy_fraction: float
    assumed: bool
    """Whether most of that stands for networks that do not announce their use: a usual one, that nobody measured."""
    networks: int
    noise_rise_db: float


@dataclass(frozen=True, slots=True, kw_only=True)
class ZigbeeSlot:
    """A Zigbee channel: what would arrive from the worst device there under the present Wi-Fi settings."""

    channel: int
    centre_mhz: int
    in_use: bool
    selectable: bool
    worst_delivery: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class BandSheet:
    """One band at one place."""

    band: Band
    low_mhz: int
    high_mhz: int
    heard_at: str | None
    source: str | None
    strips: tuple[Strip, ...]
    channels: tuple[ChannelLoad, ...]


@dataclass(frozen=True, slots=True)
class AirView:
    """Everything to be drawn of one place."""

    place_id: str
    sheets: tuple[BandSheet, ...]
    zigbee: tuple[ZigbeeSlot, ...]


def strength_word(rssi_dbm: float) -> str:
    """A working word for a level. Common practice: -50 excellent, -60 good, -65 enough for video, -70 change plans."""
    for limit, word in ((-50, "very strong"), (-60, "strong"), (-70, "fair"), (-82, "weak")):
        if rssi_dbm >= limit:
            return word
    return "faint"


def air_view(house: House, settings: Settings, place_id: str, until: str | None = None) -> AirView:
    """The newest scans at a place (up to a time), band by band. KeyError for an unknown place."""
    place = house.places[place_id]
    newest = newest_scans(house.job, until=until, whole=True)
    sheets = tuple(_sheet(house, band, place, newest.get((place_id, band))) for band in BANDS)
    return AirView(place_id, sheets, zigbee_slots(house, settings))


def _sheet(house: House, band: Band, place: int, scan: Scan | None) -> BandSheet:
    own = {r.bssid: r.id for r in house.radios}
    readings = [r for r in scan.readings if r.band == band] if scan else []
    strips = tuple(
        Strip(
            reading=r,
            own_radio_id=own.get(r.bssid),
            primary_mhz=r.block.primary_mhz,
            segments_mhz=r.block.segments_mhz,
            strength="level unknown" if r.rssi_dbm is None else strength_word(r.rssi_dbm),
        )
        for r in sorted(readings, key=lambda r: -r.level_dbm)
    )
    low, high = EDGES_MHZ[band]
    channels = channel_loads(house, band, place) if scan else ()
    return BandSheet(
        band=band,
        low_mhz=low,
        high_mhz=high,
        heard_at=scan.heard_at if scan else None,
        source=f"{IN_WORDS[scan.came_from]}: {scan.source}" if scan else None,
        strips=strips,
        channels=channels,
    )


def channel_loads(house: House, band: Band, place: int) -> tuple[ChannelLoad, ...]:
    """Of every channel, for a 20 MHz radio at a place: busy airtime of others as heard, networks shared with, the rise
    of the noise."""
    spectra = house.spectra(band, as_heard=True)
    lawful = {b.block.channel: b for b in lawful_blocks(house.job.country, band, 20)}
    numbers = CHANNELS_20MHZ[band]
    centres = np.array([channel_mhz(band, n) for n in numbers], dtype=np.intp)
    coupling = spectra.coupling(centres, 20)
    level = spectra.rssi_dbm[:, place]
    shares = np.array([spectra.on_channel(n) for n in numbers]).reshape(len(numbers), -1)
    defers = np.logical_or(*decodes_and_feels(shares, level[None, :], spectra.per_20_db[None, :], coupling))
    airtime = spectra.airtime(place)
    busy = np.minimum(defers @ airtime, 1.0)
    assumed = defers @ np.where(spectra.assumed, airtime, 0.0) > 0.5 * busy
    audible = ~defers & (level > UNHEARD_DBM)[None, :]
    rise, share = noise_states(level, coupling, audible, spectra.airtime(None), 20)
    mean_rise = (rise * share).sum(axis=1)
    return tuple(
        ChannelLoad(
            channel=n,
            centre_mhz=int(centres[i]),
            lawful=n in lawful,
            dfs=n in lawful and lawful[n].dfs,
            busy_fraction=float(busy[i]),
            assumed=bool(assumed[i] and busy[i] > 0),
            networks=int((defers[i] & spectra.wifi).sum()),
            noise_rise_db=float(mean_rise[i]),
        )
        for i, n in enumerate(numbers)
    )


def zigbee_slots(house: House, settings: Settings) -> tuple[ZigbeeSlot, ...]:
    """All Zigbee channels with the worst device's delivery there; empty without a hub."""
    zigbee = house.job.zigbee
    if zigbee is None:
        return ()
    state = radio_state(house, settings)
    wifi = []
    for i, radio in enumerate(house.radios):
        if radio.band == "2.4 GHz" and state.enabled[i]:
            block = setting_block(radio, settings.of(radio.id))
            wifi.append((i, block, float(state.rows(i, [block]).need_fraction[0])))
    slots = []
    for channel in ZIGBEE_CHANNELS:
        figures = zigbee_figures(state, channel, wifi)
        worst = min((z.delivery for z in figures), default=None)
        in_use, selectable = channel == settings.zigbee_channel, channel in zigbee.selectable_channels
        slots.append(
            ZigbeeSlot(
                channel=channel,
                centre_mhz=zigbee_mhz(channel),
                in_use=in_use,
                selectable=selectable,
                worst_delivery=worst,
            )
        )
    return tuple(slots)
