"""What a radio carries: devices and radio links at which power, and the users of its airtime that follow from it."""

from __future__ import annotations

from dataclasses import dataclass

from even_static.core.airtime.rates import older
from even_static.core.arrays import Floats, Indices
from even_static.core.house.job import Job
from even_static.core.model.link_tables import Client
from even_static.core.tables.propagation import UNHEARD_DBM


@dataclass(frozen=True, slots=True, kw_only=True)
class LinkLoad:
    """A radio link as a load of the radio nearer the router: the node it feeds, its far radio, levels and demands, and
    how many must-have devices with a demand hang behind it."""

    node: int
    far_radio: int
    far_eirp_dbm: float
    level_dbm: float
    down_mbps: float
    up_mbps: float
    musts: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """What a radio carries at which power: all that its tables depend on."""

    radio: int
    eirp_dbm: float
    enabled: bool
    devices: tuple[int, ...]
    links: tuple[LinkLoad, ...]


def clients_of(
    job: Job, load: Load, own_at_0_dbm: Floats, *, device_place: Indices, demand_mbps: Floats, radio_place: list[int]
) -> list[Client]:
    """Users of a radio's airtime: devices, and radio links for which it is the end nearer the router.

    ``own_at_0_dbm``: level of each own radio at each place at 0 dBm radiated, shape (radios, places); ``device_place``:
    shape (devices,); ``demand_mbps``: down and up, shape (devices, 2); ``radio_place``: where each radio stands.
    """
    r, radios = load.radio, job.radios
    radio, found = radios[r], list[Client]()
    for d in load.devices:
        device = job.devices[d]
        place = int(device_place[d])
        at_0 = float(own_at_0_dbm[r, place])
        level = at_0 + load.eirp_dbm if at_0 > UNHEARD_DBM else UNHEARD_DBM
        found.append(
            Client(
                id=device.id,
                name=device.name,
                place=place,
                generation=older(radio.generation, device.generation),
                streams=min(radio.streams, device.streams),
                max_width_mhz=device.widest_mhz(radio.band),
                down_mbps=float(demand_mbps[d, 0]),
                up_mbps=float(demand_mbps[d, 1]),
                level_down_dbm=level,
                level_up_dbm=level - load.eirp_dbm + device.eirp_dbm,
                must_have=device.must_have,
            )
        )
    for link in load.links:
        far, node = radios[link.far_radio], job.nodes[link.node]
        found.append(
            Client(
                id=node.id,
                name=f"link to {node.name}",
                place=radio_place[link.far_radio],
                generation=older(radio.generation, far.generation),
                streams=min(radio.streams, far.streams),
                max_width_mhz=max(far.widths_mhz),
                down_mbps=link.down_mbps,
                up_mbps=link.up_mbps,
                level_down_dbm=link.level_dbm,
                level_up_dbm=link.level_dbm - load.eirp_dbm + link.far_eirp_dbm,
                must_have=True,
                is_link=True,
                musts_behind=link.musts,
            )
        )
    return found
