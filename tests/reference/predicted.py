"""What the simulator of practice houses and the model that plans say of the scenes that ns-3 was asked about."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from even_static.core.airtime.frames import goodput_mbps
from even_static.core.airtime.rates import rate_steps
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio, Zigbee
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.radio_state import radio_state
from even_static.core.spectrum.channels import Block, zigbee_mhz
from even_static.core.spectrum.coupling import coupling_table_db
from even_static.core.tables.bands import Band
from even_static.core.tables.phy import DATA_SUBCARRIERS, MCS
from even_static.truth import ranges
from even_static.truth.medium import Flows, Senders, settle
from even_static.truth.mesh import hop_delivery
from even_static.truth.rates import Options, clear_mbps, noise_dbm
from tests.houses import as_sent
from tests.reference.scenes import SENDER_DBM, Scene, Station, scenes

HERE = Path(__file__).parent
SATURATED_MBPS = 300.0
FAR_DBM = -150.0
# What ns-3 is given, by the defaults of its classes: 802.15.4 feels energy 10 dB over its sensitivity of -106 dBm;
# Wi-Fi waits for any Wi-Fi signal of -82 dBm in its channel, also one of a channel beside it that it cannot decode
# (this project takes that for noise below -62 dBm); bursts of at most 65,535 bytes or 5.484 ms, a guard interval of
# 3.2 us.
NS3_CLEAR_DBM, NS3_PREAMBLE_DBM, NS3_ENERGY_DBM = -96.0, -82.0, -82.0
NS3_BURST_US, NS3_BURST_BYTES, NS3_SYMBOL_US = 5484.0, 65_535, 16.0
NS3_ALIKE = 0.5
# Sources send a third of the time at three times their rate.
ON_OFF = 3.0


def told_by_ns3() -> dict[str, list[float]]:
    """What each flow and report of each scene delivered."""
    lines = (HERE / "ns3_scenes.txt").read_text().splitlines()
    return {name: [float(x) for x in rest] for name, *rest in (line.split() for line in lines)}


def phy_mbps(mcs: int, width_mhz: int = 20) -> float:
    """The rate of an MCS of one stream with ns-3's guard interval, in Mb/s (IEEE 802.11ax)."""
    bits, coding = MCS[mcs]
    return DATA_SUBCARRIERS["he"][width_mhz] * bits * coding / NS3_SYMBOL_US


def simulator_alone_mbps(mcs: int, width_mhz: int = 20) -> float:
    """What one cell carries alone at a fixed rate by the simulator's frame times."""
    rate = phy_mbps(mcs, width_mhz)
    return clear_mbps(rate, "802.11ax", min(NS3_BURST_US, NS3_BURST_BYTES * 8 / rate))


def model_alone_mbps(mcs: int, width_mhz: int = 20, band: Band = "5 GHz") -> float:
    """The same by the model's frame times."""
    return goodput_mbps(phy_mbps(mcs, width_mhz), "802.11ax", band)


def level(scene: Scene, a: str, b: str) -> float:
    """What b receives of a, in dBm."""
    return scene.level_dbm.get((a, b), scene.level_dbm.get((b, a), FAR_DBM))


def centre_mhz(s: Station) -> int:
    """Middle of a station's channel."""
    return (2407 if s.band == 2 else 5000) + 5 * s.channel


def primary_mhz(s: Station) -> int:
    """Middle of its primary 20 MHz: the lower half of 40."""
    return centre_mhz(s) - (10 if s.width_mhz == 40 else 0)


def simulator_says(scene: Scene) -> list[float]:
    """Delivered by each flow, then by each report, in the simulator of practice houses."""
    stations = {s.id: i for i, s in enumerate(scene.stations)}
    count = len(stations)
    between = np.array([[level(scene, a.id, b.id) for b in scene.stations] for a in scene.stations])
    np.fill_diagonal(between, -20.0)
    cells = np.array([s.cell for s in scene.stations], dtype=np.intp)
    senders = Senders(
        level_dbm=between,
        centre_mhz=np.array([centre_mhz(s) for s in scene.stations], dtype=np.intp),
        width_mhz=np.array([s.width_mhz for s in scene.stations], dtype=np.intp),
        primary_mhz=np.array([primary_mhz(s) for s in scene.stations], dtype=np.intp),
        kind=("ofdm",) * count,
        cell=cells,
        foreign=np.zeros(count, dtype=bool),
        load=np.zeros(count),
        deaf=np.zeros(count, dtype=bool),
    )
    wanted = np.array([load or SATURATED_MBPS for _, _, load in scene.flows])
    choice = []
    for source, _, _ in scene.flows:
        s = scene.stations[stations[source]]
        half = noise_dbm(s.width_mhz) + ranges.HALF_ARRIVE_DB[s.mcs]
        # The scenes' rates are fixed: nothing is lost to choosing among them.
        good = simulator_alone_mbps(s.mcs, s.width_mhz) / ranges.ADAPTS
        choice.append(Options(half_dbm=np.array([half]), good_mbps=np.array([good]), width_mhz=np.array([s.width_mhz])))
    flows = Flows(
        source=np.array([stations[a] for a, _, _ in scene.flows], dtype=np.intp),
        target=np.array([stations[b] for _, b, _ in scene.flows], dtype=np.intp),
        wanted_mbps=wanted,
        options=tuple(choice),
        chip_db=np.zeros(len(wanted)),
        body_db=np.zeros(len(wanted)),
        user=np.arange(len(wanted)),
    )
    air = settle(senders, flows, preamble_dbm=NS3_PREAMBLE_DBM, energy_dbm=NS3_ENERGY_DBM, below_mask_db=0.0)
    per_cell = np.bincount(cells, weights=air.load / air.may_use, minlength=cells.max() + 1)
    given = np.minimum(1.0, 1 / np.maximum(per_cell, 1e-9))[cells[flows.source]]
    found = np.where(air.rate_mbps > 0.05, wanted * given, 0.0).tolist()
    for a, b, _ in scene.reports:
        channel = dict(scene.mesh)[a]
        into = np.array(
            [
                coupling_table_db("ofdm", s.width_mhz, "zigbee", 2)[abs(centre_mhz(s) - zigbee_mhz(channel))]
                for s in scene.stations
            ]
        )
        found.append(
            hop_delivery(
                signal_dbm=level(scene, a, b),
                noise_dbm=ranges.MESH_NOISE_DBM,
                clear_dbm=NS3_CLEAR_DBM,
                at_source_dbm=np.array([level(scene, s.id, a) for s in scene.stations]) + into,
                at_target_dbm=np.array([level(scene, s.id, b) for s in scene.stations]) + into,
                share=air.on_air,
                spell=float(np.clip(ON_OFF * scene.flows[0][2] / simulator_alone_mbps(5), 0.3, 0.95)),
                alike=NS3_ALIKE,
            )
        )
    return found


def model_says(scene: Scene) -> list[float]:
    """What the model that plans says of the first cell's flow, and of the reports: others are networks heard with the
    share of the channel that their traffic needs."""
    own = [s for s in scene.stations if s.cell == 0]
    router, phone = own[0], own[1]
    band: Band = "2.4 GHz" if router.band == 2 else "5 GHz"
    radio = Radio(
        id="r",
        bssid="02:00:00:00:00:01",
        ssid="own",
        band=band,
        generation="802.11ax",
        streams=1,
        widths_mhz=(20, 40, 80),
        eirp_steps_dbm=(SENDER_DBM,),
    )
    mesh = dict(scene.mesh)
    names = [router.id, phone.id, *mesh]
    places = tuple(Place(id=n, name=n) for n in names)
    readings: dict[str, list[Reading]] = {n: [] for n in names}
    for n in names:
        if n != router.id and level(scene, router.id, n) > -120:
            readings[n].append(_reading("02:00:00:00:00:01", router, level(scene, router.id, n), None))
    for cell in sorted({s.cell for s in scene.stations} - {0}):
        ap = next(s for s in scene.stations if s.cell == cell)
        load = sum(mbps or SATURATED_MBPS for a, _, mbps in scene.flows if a == ap.id)
        use = min(0.95, load / model_alone_mbps(ap.mcs, ap.width_mhz, band))
        for n in names:
            if level(scene, ap.id, n) > -120:
                readings[n].append(_reading(f"06:00:00:00:00:{cell:02x}", ap, level(scene, ap.id, n), use))
    scans = tuple(
        Scan(id=f"s-{n}", place_id=n, heard_at="2026-03-02T20:00:00Z", source="t", bands=(band,), readings=tuple(r))
        for n, r in readings.items()
    )
    wanted = scene.flows[0][2] or SATURATED_MBPS
    clear = float(rate_steps("802.11ax", band, 20, 1).goodput(np.array(level(scene, router.id, phone.id))))
    # The airtime that the Wi-Fi takes in ns-3 is given: what it does to 802.15.4 is asked.
    asked = wanted * (clear / told_by_ns3()[f"one-mcs{router.mcs}"][0] if mesh else 1.0)
    device = Device(
        id="d",
        name="d",
        place_id=phone.id,
        bands=(band,),
        generation="802.11ax",
        max_width_mhz=80,
        demand_down_mbps=asked,
        eirp_dbm=SENDER_DBM,
    )
    zigbee = None
    if mesh:
        hub, far = list(mesh)
        zigbee = Zigbee(
            hub_place_id=hub,
            selectable_channels=(mesh[hub],),
            devices=(MeshDevice("z", "z", far),),
            links=(MeshLink("hub", "z", level(scene, hub, far)),),
        )
    setting = RadioSetting(radio_id="r", channel=router.channel, width_mhz=20, eirp_dbm=SENDER_DBM)
    job = Job(
        title="scene",
        country="NL",
        places=places,
        nodes=(Node(id="n", name="n", place_id=router.id, radios=(radio,)),),
        devices=(device,),
        scans=scans,
        zigbee=zigbee,
        settings=Settings((setting,), mesh[next(iter(mesh))] if mesh else None),
    )
    house = as_sent(job)
    state = radio_state(house, job.settings)
    row = state.row(0, Block(band=band, channel=router.channel, centre_mhz=centre_mhz(router), width_mhz=20))
    hit = float(row.client_goodput_down[0, 0]) / clear
    carried = model_alone_mbps(router.mcs, band=band) * hit * float(row.available_fraction[0])
    found = [min(wanted, carried)]
    figures = evaluate(house, job.settings)
    return found + [z.delivery for z in figures.zigbee]


def _reading(bssid: str, s: Station, rssi_dbm: float, use: float | None) -> Reading:
    return Reading(
        bssid=bssid,
        ssid="",
        band="2.4 GHz" if s.band == 2 else "5 GHz",
        channel=(primary_mhz(s) - (2407 if s.band == 2 else 5000)) // 5,
        centre_mhz=centre_mhz(s),
        width_mhz=s.width_mhz,
        rssi_dbm=max(rssi_dbm, -119.0),
        channel_use_fraction=use,
        generation="802.11ax",
    )


def errors() -> list[tuple[str, str, float, float, float | None]]:
    """(kind, scene, ns-3's figure, the simulator's, the model's): of each scene's first flow, of both hops together, or
    of its reports."""
    told, found = told_by_ns3(), []
    for scene in scenes():
        theirs, ours = told[scene.name], simulator_says(scene)
        if scene.kind == "mesh hop":
            found.append((scene.kind, scene.name, sum(theirs), sum(ours), None))
            continue
        at = len(scene.flows) if scene.reports else 0
        found.append((scene.kind, scene.name, theirs[at], ours[at], model_says(scene)[1 if scene.reports else 0]))
    return found


if __name__ == "__main__":
    for kind, name, theirs, ours, model in errors():
        print(f"{kind:18} {name:22} {theirs:8.3f} {ours:8.3f} {'' if model is None else f'{model:8.3f}'}")
