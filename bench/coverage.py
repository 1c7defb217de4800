"""Speed of the house: maps, moving a node, placing, calibrating. Part of `make bench`."""

from __future__ import annotations

import random
import time
from dataclasses import replace

import numpy as np
import shapely

from bench.timing import best_of
from even_static.core.house.building import Building, Outlet, Stand, Storey
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Node, Place, Radio
from even_static.core.house.settings import RadioSetting, Settings
from even_static.core.house.typed import add_typed
from even_static.core.propagation.coverage import Coverage
from even_static.core.search.node_spots import place_nodes
from even_static.core.survey.walk import Series, scan_of
from even_static.core.tables.bands import BANDS

# 15 by 10 m: 15 rooms a storey make 38 walls between and around them, 60 and more pieces with their doors.
COLUMNS, ROWS = 5, 3


def house(spots: int = 20) -> Job:
    """Three storeys of 150 square metres, four nodes on three bands, 30 outlets."""
    from even_static.core.house.building import Opening

    building = Building(house_type="masonry house", storeys=(Storey(0), Storey(1), Storey(2)))
    for storey in range(3):
        for row in range(ROWS):
            for column in range(COLUMNS):
                name = f"s{storey}r{row}c{column}"
                if column:
                    line = f"{name} 3 3.34 right of s{storey}r{row}c{column - 1}"
                elif row:
                    line = f"{name} 3 3.34 behind s{storey}r{row - 1}c0"
                else:
                    line = f"{name} 3 3.34"
                building, _ = add_typed(building, line, storey=storey)
    doors = tuple(
        Opening(id=f"d-{r.id}", kind="door", room_id=r.id, edge=1, at_m=1.5)
        for r in building.rooms
        if not r.id.endswith("c4")
    )
    rng = random.Random(5)
    outlets = tuple(
        Outlet(
            id=f"o{k}",
            name=f"outlet {k}",
            storey=k % 3,
            x_m=round(rng.uniform(0.3, 14.7), 2),
            y_m=round(rng.uniform(0.3, 9.7), 2),
            power=True,
            cable_drops=k % 2,
        )
        for k in range(30)
    )
    building = replace(building, openings=doors, outlets=outlets)
    places = tuple(
        Place(
            id=f"p{k}",
            name=f"spot {k}",
            storey=k % 3,
            outdoors=False,
            x_m=round(rng.uniform(0.3, 14.7), 2),
            y_m=round(rng.uniform(0.3, 9.7), 2),
            height_m=1.2,
        )
        for k in range(spots)
    )
    nodes, settings = [], []
    channels = {"2.4 GHz": 1, "5 GHz": 36, "6 GHz": 5}
    for n in range(4):
        radios = tuple(
            Radio(
                id=f"n{n}b{i}",
                bssid=f"02:00:00:00:{n:02x}:{i:02x}",
                ssid="x",
                band=b,
                generation="802.11ax",
                streams=2,
                widths_mhz=(20,),
                eirp_steps_dbm=(20.0,),
            )
            for i, b in enumerate(BANDS)
        )
        nodes.append(
            Node(
                id=f"n{n}",
                name=f"n{n}",
                place_id="p0",
                radios=radios,
                uplink=None,
                stand=Stand(storey=n % 3, x_m=2 + 3.4 * n, y_m=2 + 1.9 * n, height_m=1.5),
            )
        )
        settings += [RadioSetting(radio_id=r.id, channel=channels[r.band], width_mhz=20, eirp_dbm=20.0) for r in radios]
    devices = tuple(
        Device(
            id=f"d{k}",
            name=f"d{k}",
            place_id=f"p{k}",
            bands=("2.4 GHz", "5 GHz"),
            generation="802.11ax",
            streams=2,
            demand_down_mbps=5.0,
        )
        for k in range(spots)
    )
    return Job(
        title="bench",
        country="NL",
        places=places,
        nodes=tuple(nodes),
        settings=Settings(tuple(settings)),
        devices=devices,
        building=building,
    )


def read_at_every_spot(job: Job) -> Job:
    """The job with readings at all its spots, made from its own prediction with 3 dB of scatter."""
    coverage = Coverage(job)
    rng = np.random.default_rng(7)
    scans = []
    for place in job.places:
        z = coverage.building.elevation_m(place.storey) + 1.2
        levels = coverage.levels(np.array([[place.x_m, place.y_m]]), z).level_dbm[:, 0] + rng.normal(0, 3, 12)
        series = tuple(
            Series(r.bssid, (float(np.clip(level, -95, -20)),)) for r, level in zip(job.radios, levels, strict=True)
        )
        scans.append(scan_of(job, f"l-{place.id}", place.id, "2026-03-02T19:00:00Z", series))
    return replace(job, scans=tuple(scans))


def plain_loop(coverage: Coverage, tx: tuple[float, float, float], xy: np.ndarray, z: float) -> int:
    """Crossings of walls counted one ray and one panel at a time: what one would write first."""
    count = 0
    panels = coverage.geometry.panels.tolist()
    for x, y in xy.tolist():
        for x1, y1, x2, y2, bottom, top in panels:
            dx, dy, ex, ey = x - tx[0], y - tx[1], x2 - x1, y2 - y1
            across = dx * ey - dy * ex
            if across == 0:
                continue
            share = ((x1 - tx[0]) * ey - (y1 - tx[1]) * ex) / across
            along = ((x1 - tx[0]) * dy - (y1 - tx[1]) * dx) / across
            if 0 < share <= 1 and 0 <= along <= 1 and bottom <= tx[2] + (z - tx[2]) * share < top:
                count += 1
    return count


def with_library(coverage: Coverage, tx: tuple[float, float, float], xy: np.ndarray) -> int:
    """The same with a general geometry library: an index of the walls, asked for every ray, then exact tests."""
    lines = shapely.linestrings(coverage.geometry.panels[:, :4].reshape(-1, 2, 2))
    rays = shapely.linestrings(np.stack([np.broadcast_to(tx[:2], xy.shape), xy], axis=1))
    return int(shapely.STRtree(lines).query(rays, predicate="intersects").shape[1])


def run() -> None:
    """Print the lines."""
    job = read_at_every_spot(house(60))
    coverage = Coverage(job)
    grids = [coverage.kept_grid(s, 0.25) for s in range(3)]
    points = sum(len(xy) for _, xy in grids)
    panels = len(coverage.geometry.panels)
    what = f"{points:,} points, 4 nodes, 3 bands, {panels} wall pieces"
    print(f"house: 3 storeys of 150 m2 at 0.25 m, {what}")

    def whole() -> None:
        for grid, xy in grids:
            coverage.levels(xy, grid.z_m)

    def moved() -> None:
        stand = {"n1": Stand(storey=1, x_m=5.0 + random.random(), y_m=4.0, height_m=1.5)}
        for grid, xy in grids:
            coverage.levels(xy, grid.z_m, stand, only_nodes=frozenset({"n1"}))

    whole()
    map_s, moved_s = best_of(whole, 5), best_of(moved, 5)
    print(f"  whole map, levels and spreads {map_s * 1e3:.0f} ms (goal 150)")
    print(f"  one node moved {moved_s * 1e3:.0f} ms (goal 50)")
    grid, xy = grids[0]
    tx = (2.0, 2.0, 1.5)
    ours = best_of(lambda: coverage.geometry.crossed(tx, xy, grid.z_m), 5)
    few = xy[:: max(1, len(xy) // 200)]
    began = time.perf_counter()
    plain_loop(coverage, tx, few, grid.z_m)
    loop = (time.perf_counter() - began) * len(xy) / len(few)
    library = best_of(lambda: with_library(coverage, tx, xy), 3)
    print(
        f"  one node and storey: crossings {ours * 1e3:.1f} ms; plain loop {loop * 1e3:.0f} ms, ratio {loop / ours:.0f}"
        f"; general geometry library {library * 1e3:.0f} ms, ratio {library / ours:.0f}"
    )
    calibrate_s = best_of(lambda: Coverage(job), 3)
    few_spots = read_at_every_spot(house(20))
    print(f"  calibration on {len(coverage.seen)} levels of 60 scans {calibrate_s * 1e3:.0f} ms (goal 500)")
    ready = Coverage(few_spots)
    place_s = best_of(lambda: place_nodes(ready, (2,)), 2)
    print(f"  best two places of 30, every choice {place_s:.2f} s (goal 3)")
