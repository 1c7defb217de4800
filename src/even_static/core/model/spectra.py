"""What else is on a band, ready for whole rows of blocks."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from even_static.core.arrays import Bools, Floats, Indices
from even_static.core.spectrum.channels import channel_of_mhz
from even_static.core.spectrum.coupling import MAX_OFFSET_MHZ, coupling_table_db
from even_static.core.survey.air import Air, modulation_of
from even_static.core.tables.bands import Band
from even_static.core.tables.propagation import UNHEARD_DBM
from even_static.core.tables.worlds import MOST_DUTY, MOST_EVENING


class Spectra:
    """What else is on one band: centres, widths, airtime layers and coupling, ready for whole rows of blocks.

    Rows of all arrays are the other networks, and behind them, at 2.4 GHz, the spectral lines of other sources: those
    have no preamble that a radio could decode, and do not defer to anybody.
    """

    def __init__(self, air: Air, index: Indices, band: Band, *, as_heard: bool = False) -> None:
        """``as_heard``: networks send what they sent when they were heard, and not what they will in the busy hour."""
        self.index = index
        self.networks = [air.networks[k] for k in index]
        others = air.others
        more = len(others) if band == "2.4 GHz" else 0
        self.wifi = np.arange(len(self.networks) + more) < len(self.networks)
        self.other_ids = others.ids[:more]
        self.other_names = others.names[:more]
        self.rssi_dbm = np.concatenate([air.rssi_dbm[self.index], others.level_dbm[:more]])
        own_centres = np.array([n.centre_mhz for n in self.networks], dtype=np.intp)
        self.centre = np.concatenate([own_centres, others.centre_mhz[:more]])
        self.centre2 = np.array([*(n.centre2_mhz or 0 for n in self.networks), *[0] * more], dtype=np.intp)
        self.per_20_db = np.array([*(10 * np.log10(n.width_mhz / 20) for n in self.networks), *[0.0] * more])
        self.kinds = [
            *((modulation_of(n.generation), n.width_mhz // 2 if n.centre2_mhz else n.width_mhz) for n in self.networks),
            *others.kinds[:more],
        ]
        sent = air.use_fraction if air.sent_fraction is None else air.sent_fraction
        use = sent[self.index] if as_heard else in_the_busy_hour(air, sent)[self.index]
        self.use = np.concatenate([use, others.use_fraction[:more]])
        self.assumed = np.concatenate([air.assumed[self.index], np.zeros(more, dtype=bool)])
        self._on_channel: dict[int, Bools] = {}
        self._tables: dict[int, Floats] = {}
        self._airtime: dict[int | None, Floats] = {}

    def airtime(self, place: int | None) -> Floats:
        """Airtime of each network that is heard at a place, or anywhere in the house: shape (networks,)."""
        if place not in self._airtime:
            level = self.rssi_dbm[:, place] if place is not None else self.rssi_dbm.max(axis=1, initial=UNHEARD_DBM)
            self._airtime[place] = np.where(level > UNHEARD_DBM, self.use, 0.0)
        return self._airtime[place]

    def on_channel(self, channel: int) -> Bools:
        """Which networks send their preambles on a 20 MHz channel: shape (networks,)."""
        if channel not in self._on_channel:
            on = [channel in {channel_of_mhz(f) for f in n.block.subchannels_mhz} for n in self.networks]
            self._on_channel[channel] = np.array([*on, *[False] * len(self.other_ids)], dtype=bool)
        return self._on_channel[channel]

    def coupling(self, centres_mhz: NDArray[np.intp], width_mhz: int) -> Floats:
        """Coupling in dB into blocks of one width: shape (blocks, networks). 80+80 adds its two halves."""
        table = self._tables.get(width_mhz)
        if table is None:
            rows = [coupling_table_db(kind, width, "ofdm", width_mhz) for kind, width in self.kinds]
            table = np.array(rows).reshape(len(rows), MAX_OFFSET_MHZ + 1)
            self._tables[width_mhz] = table
        rows_index = np.arange(len(self.kinds))[None, :]
        first = table[rows_index, np.minimum(np.abs(centres_mhz[:, None] - self.centre[None, :]), MAX_OFFSET_MHZ)]
        if not self.centre2.any():
            return np.asarray(first, dtype=np.float64)
        second = table[rows_index, np.minimum(np.abs(centres_mhz[:, None] - self.centre2[None, :]), MAX_OFFSET_MHZ)]
        both = 10 * np.log10(0.5 * 10 ** (first / 10) + 0.5 * 10 ** (second / 10))
        return np.asarray(np.where(self.centre2[None, :] > 0, both, first), dtype=np.float64)


def in_the_busy_hour(air: Air, sent_fraction: Floats) -> Floats:
    """What networks send in the busiest hour, of what they sent when they were heard: (networks,).

    Those that broadcast it follow the usual day, those of one channel together up to a full one; what is assumed stands
    for a usual evening already.
    """
    more = np.where(air.assumed, 1.0, np.minimum(1 / air.hour_load, MOST_EVENING))
    found = sent_fraction * more
    for key in {(n.band, n.channel) for n in air.networks}:
        rows = np.array([(n.band, n.channel) == key for n in air.networks], dtype=bool)
        heard, then = float(sent_fraction[rows].sum()), float(found[rows].sum())
        found[rows] *= min(1.0, max(MOST_DUTY, heard) / max(then, 1e-9))
    return np.asarray(found)
