"""What a prepared house has worked out already, by what a radio carries at which power: shared by all its radio states.

Nothing here is computed; see :mod:`even_static.core.model.radio_state` and :mod:`even_static.core.model.zigbee_mesh`.
"""

from __future__ import annotations

from dataclasses import dataclass, field, fields

from even_static.core.arrays import Bools, Floats
from even_static.core.house.settings import RadioSetting
from even_static.core.spectrum.channels import Block, Blocks
from even_static.core.tables.phy import Generation

# A load is numbered by the house: see ``House.number_of``.
LoadNumber = int


@dataclass(frozen=True, slots=True, kw_only=True)
class Client:
    """One user of a radio's airtime: a device, or the node that hangs on this one by a radio link.

    ``level_down_dbm`` is what it receives, ``level_up_dbm`` what the radio receives of it.
    """

    id: str
    name: str
    place: int
    generation: Generation
    streams: int
    max_width_mhz: int
    down_mbps: float
    up_mbps: float
    level_down_dbm: float
    level_up_dbm: float
    must_have: bool
    is_link: bool = False
    musts_behind: int = 0
    """Must-have devices with a demand that hang behind a link: what the link does not carry they do not get."""


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class LinkTable:
    """What a radio meets on each block, by row: all arrays have shape (blocks,), ``client_need`` (blocks, clients).

    ``busy_fraction``: airtime of the networks it defers to; ``contenders``: how many of them have something to send;
    ``available_fraction``: what is left, never below the fair share; ``need_fraction``: own airtime in the busy hour
    without own radios' interference; ``no_link``: clients without any link; ``linked_musts``: must-have clients with
    a link and a demand; ``taken_airtime``: what its own use takes from networks that hear it, summed over them;
    ``noise_rise_db``: mean rise of the noise at the node by what it does not defer to.
    """

    busy_fraction: Floats
    contenders: Floats
    available_fraction: Floats
    need_fraction: Floats
    no_link: Floats
    linked_musts: Floats
    taken_airtime: Floats
    noise_rise_db: Floats
    client_need: Floats
    client_goodput_down: Floats
    client_goodput_up: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Row:
    """One row of a table."""

    links: LinkTable
    row: int


@dataclass(slots=True)
class MeshTables:
    """Of the 802.15.4 meshes: pairs of (log of the share without a collision, log of the share in which the channel
    is clear), by hop."""

    neighbours: dict[int, tuple[Floats, Floats]] = field(default_factory=dict)
    one_radio: dict[int, tuple[Floats, Floats]] = field(default_factory=dict)
    all_channels: dict[tuple[int, Blocks, tuple[int, ...]], tuple[Floats, Floats]] = field(default_factory=dict)
    own: dict[tuple[int, Block, int], tuple[Floats, Floats]] = field(default_factory=dict)


@dataclass(kw_only=True, frozen=True, slots=True, eq=False)
class Heard:
    """What a radio hears of others on blocks of one width, whatever it carries itself: arrays of shape (blocks,) as in
    :class:`LinkTable`; ``decodes``, ``defers`` and ``coupling_db`` have shape (blocks, networks). ``rise`` keeps noise
    states by place: (rise in dB, share of the time)."""

    decodes: Bools
    defers: Bools
    coupling_db: Floats
    busy_fraction: Floats
    contenders: Floats
    available_fraction: Floats
    rise: dict[int, tuple[Floats, Floats]] = field(default_factory=dict)


@dataclass(slots=True, kw_only=True)
class Tables:
    """Everything that is kept: by load, by pairs of loads, and by blocks."""

    clients: dict[LoadNumber, list[Client]] = field(default_factory=dict)
    rows: dict[LoadNumber, dict[Block, Row]] = field(default_factory=dict)
    single: dict[tuple[LoadNumber, Block], LinkTable] = field(default_factory=dict)
    stacked: dict[tuple[LoadNumber, Blocks], LinkTable] = field(default_factory=dict)
    loss: dict[tuple[LoadNumber, LoadNumber, int], Floats] = field(default_factory=dict)
    pairs: dict[tuple[LoadNumber, Block, LoadNumber, Block], tuple[bool, float, float]] = field(default_factory=dict)
    matrices: dict[tuple[LoadNumber, Blocks, LoadNumber, Blocks], tuple[Bools, Floats, Floats]] = field(
        default_factory=dict
    )
    mean_rise: dict[tuple[int, Block, int], float] = field(default_factory=dict)
    deference: dict[tuple[int, Blocks], tuple[Bools, Bools, Floats]] = field(default_factory=dict)
    heard: dict[tuple[int, Blocks], Heard] = field(default_factory=dict)
    options: dict[tuple[RadioSetting, bool, tuple[int, ...] | None], Blocks] = field(default_factory=dict)
    mesh: MeshTables = field(default_factory=MeshTables)

    def clear(self) -> None:
        """Forget everything."""
        for holder in (self, self.mesh):
            for f in fields(holder):
                if f.name != "mesh":
                    getattr(holder, f.name).clear()
