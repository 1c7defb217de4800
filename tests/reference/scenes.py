"""The scenes that ns-3 was asked about, in the words of this project: who sends where, how loud, how much.

python -m tests.reference.scenes > tests/reference/ns3_scenes.in
"""

from __future__ import annotations

from dataclasses import dataclass, field

SENDER_DBM = 16.0
MESH_DBM = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Station:
    """A Wi-Fi sender or receiver: channel and width in MHz as ns-3 numbers them, MCS that it sends with."""

    id: str
    cell: int
    channel: int = 36
    width_mhz: int = 20
    band: int = 5
    mcs: int = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Scene:
    """``level_dbm``: what b receives of a and the other way round, by (a, b), for Wi-Fi senders of 16 dBm and mesh
    senders of 0 dBm (a mesh device between a Wi-Fi one: of the Wi-Fi one). ``flows``: from, to, Mb/s, 0 for as much as
    goes. ``mesh``: id and channel; ``reports``: from, to, every so many ms."""

    name: str
    stations: tuple[Station, ...]
    level_dbm: dict[tuple[str, str], float]
    flows: tuple[tuple[str, str, float], ...]
    mesh: tuple[tuple[str, int], ...] = ()
    reports: tuple[tuple[str, str, float], ...] = ()
    kind: str = field(default="")


def _pair(n: int, **more: object) -> tuple[Station, Station]:
    return (
        Station(id=f"a{n}", cell=n, **more),  # type: ignore[arg-type]
        Station(id=f"s{n}", cell=n, **more),  # type: ignore[arg-type]
    )


def _cells(name: str, kind: str, loads: list[float], between: float, **more: object) -> Scene:
    """Cells that all hear each other at a level, each with one flow from its access point."""
    stations = [s for n in range(len(loads)) for s in _pair(n, **more)]
    level = {(f"a{n}", f"s{n}"): -50.0 for n in range(len(loads))}
    for a in range(len(loads)):
        for b in range(a + 1, len(loads)):
            for x in (f"a{a}", f"s{a}"):
                for y in (f"a{b}", f"s{b}"):
                    level[x, y] = between
    flows = tuple((f"a{n}", f"s{n}", load) for n, load in enumerate(loads))
    return Scene(name=name, kind=kind, stations=tuple(stations), level_dbm=level, flows=flows)


def _two(
    name: str,
    kind: str,
    loads: tuple[float, float],
    level: dict[tuple[str, str], float],
    first: dict[str, int],
    second: dict[str, int],
) -> Scene:
    stations = (*_pair(0, **first), *_pair(1, **second))
    flows = tuple((f"a{n}", f"s{n}", load) for n, load in enumerate(loads))
    return Scene(name=name, kind=kind, stations=stations, level_dbm=level, flows=flows)


def _hidden(sir_db: float, other: float, mine: float = 0.0) -> Scene:
    """Two access points that do not hear each other; the second one reaches the first one's station."""
    level = {("a0", "s0"): -55.0, ("a1", "s1"): -55.0, ("a1", "s0"): -55.0 - sir_db}
    name = f"hidden-{sir_db:g}dB-{other:g}-{mine:g}"
    return _two(name, "hidden", (mine, other), level, {}, {})


def _apart(channel: int, between: float, loads: tuple[float, float]) -> Scene:
    """Two cells at 2.4 GHz, on channel 1 and on another one, near each other."""
    level = {("a0", "s0"): -50.0, ("a1", "s1"): -50.0}
    for x in ("a0", "s0"):
        for y in ("a1", "s1"):
            level[x, y] = between
    name = f"apart-1-{channel}-{-between:g}-{loads[1]:g}"
    return _two(name, "apart", loads, level, {"channel": 1, "band": 2}, {"channel": channel, "band": 2})


def _under(channel: int, between: float, load: float) -> Scene:
    """A 20 MHz cell inside a 40 MHz one (channels 1 and 5; its primary is 1)."""
    level = {("a0", "s0"): -50.0, ("a1", "s1"): -50.0}
    for x in ("a0", "s0"):
        for y in ("a1", "s1"):
            level[x, y] = between
    first, second = {"channel": channel, "band": 2}, {"channel": 3, "width_mhz": 40, "band": 2}
    return _two(f"under-{channel}-{-between:g}-{load:g}", "20 under 40", (0.0, load), level, first, second)


def _hop(same: bool, load: float) -> Scene:
    """Router to node, node to device: the same bits twice, on one channel or on two."""
    stations = (
        Station(id="r", cell=0),
        Station(id="n", cell=0),
        Station(id="m", cell=0 if same else 1, channel=36 if same else 44),
        Station(id="d", cell=0 if same else 1, channel=36 if same else 44),
    )
    level = {
        ("r", "n"): -55.0,
        ("m", "d"): -50.0,
        # Two radios of one box on two channels are shielded from each other; on one channel they are one radio.
        ("n", "m"): -20.0 if same else -60.0,
        ("r", "m"): -55.0,
        ("n", "d"): -50.0,
        ("r", "d"): -75.0,
    }
    return Scene(
        name=f"hop-{'one' if same else 'two'}-{load:g}",
        kind="mesh hop",
        stations=stations,
        level_dbm=level,
        flows=(("r", "n", load), ("m", "d", load)),
    )


def _beside(load: float, wifi_dbm: float, link_dbm: float, channel: int) -> Scene:
    """An 802.15.4 link beside a Wi-Fi cell on channel 1 (2412 MHz); 12 is 2410, 14 is 2420, 16 is 2430."""
    stations = _pair(0, channel=1, band=2)
    level = {("a0", "s0"): -50.0, ("z0", "z1"): link_dbm}
    for x in ("a0", "s0"):
        for y in ("z0", "z1"):
            level[x, y] = wifi_dbm
    return Scene(
        name=f"mesh-{load:g}-{-wifi_dbm:g}-{-link_dbm:g}-{channel}",
        kind="802.15.4",
        stations=stations,
        level_dbm=level,
        flows=(("a0", "s0", load),),
        mesh=(("z0", channel), ("z1", channel)),
        reports=(("z0", "z1", 20.0),),
    )


def scenes() -> list[Scene]:
    """All of them."""
    found = [_cells(f"one-mcs{mcs}", "one cell", [0.0], -60.0, mcs=mcs) for mcs in (1, 3, 5, 7)]
    found += [_cells(f"one-{load:g}", "one cell", [load], -60.0) for load in (10.0, 30.0)]
    found += [
        _cells("two-full", "cells in hearing", [0.0, 0.0], -60.0),
        _cells("two-20-20", "cells in hearing", [20.0, 20.0], -60.0),
        _cells("two-10-full", "cells in hearing", [0.0, 10.0], -60.0),
        _cells("two-30-full", "cells in hearing", [0.0, 30.0], -60.0),
        _cells("three-full", "cells in hearing", [0.0, 0.0, 0.0], -60.0),
        _cells("three-15", "cells in hearing", [15.0, 15.0, 15.0], -60.0),
        _cells("four-full", "cells in hearing", [0.0] * 4, -65.0),
    ]
    found += [_hidden(sir, other) for sir in (0.0, 15.0, 30.0) for other in (5.0, 15.0, 30.0)]
    found += [_hidden(5.0, 15.0, 10.0)]
    exposed = {("a0", "s0"): -50.0, ("a1", "s1"): -50.0, ("a0", "a1"): -70.0, ("a1", "s0"): -95.0, ("a0", "s1"): -95.0}
    found += [_two(f"exposed-{o:g}", "exposed", (0.0, o), exposed, {}, {}) for o in (0.0, 15.0)]
    found += [_apart(c, -45.0, (0.0, 20.0)) for c in (2, 3, 4, 5, 6)]
    found += [_apart(3, -65.0, (0.0, 20.0)), _apart(3, -75.0, (0.0, 20.0))]
    found += [_under(c, -55.0, load) for c in (1, 5) for load in (20.0, 60.0)]
    found += [_hop(same, load) for same in (True, False) for load in (10.0, 0.0)]
    for load in (5.0, 15.0, 40.0):
        found += [_beside(load, wifi, -70.0, 12) for wifi in (-45.0, -60.0, -75.0)]
    found += [_beside(15.0, -55.0, -60.0, 12), _beside(15.0, -40.0, -70.0, 14), _beside(15.0, -40.0, -70.0, 16)]
    return found


def main() -> None:
    for scene in scenes():
        print("scene", scene.name)
        for s in scene.stations:
            print("wifi", s.id, s.band, s.channel, s.width_mhz, SENDER_DBM, s.mcs)
        for name, channel in scene.mesh:
            print("mesh", name, channel, MESH_DBM)
        mesh = {name for name, _ in scene.mesh}
        for (a, b), level in scene.level_dbm.items():
            power = MESH_DBM if a in mesh and b in mesh else SENDER_DBM
            print("loss", a, b, power - level)
        for f in scene.flows:
            print("flow", *f)
        for r in scene.reports:
            print("report", *r)
        print("end")


if __name__ == "__main__":
    main()
