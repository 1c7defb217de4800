"""Where boxes stand: height, enclosure, corner, metal and appliances. Common practice."""

from __future__ import annotations

import math
from collections.abc import Iterator

from even_static.core.checks.findings import Finding, finding
from even_static.core.house.job import Job
from even_static.core.propagation.stands import place_point, stand_of, stand_point
from even_static.core.tables.materials import MOUNTING_DB, OBSTACLES
from even_static.core.tables.placing import CORNER_FRACTION, LOW_M, METAL_NEAR_M, OVEN_NEAR_M, SHADING_DB


def placement(job: Job) -> Iterator[Finding]:
    """Height, enclosure, corner, metal and appliances; what a move would bring is worked out under House."""
    if job.building is None:
        return
    rooms = [r for r in job.building.rooms if r.kind == "room"]
    if not rooms:
        return
    xs, ys = ([c[k] for r in rooms for c in r.outline] for k in (0, 1))
    ovens = [
        (s.name, point)
        for s in job.other_sources
        for place in job.places
        if place.id == s.place_id and s.kind == "microwave oven"
        for point in [place_point(job, place)]
        if point is not None
    ]
    for node in job.nodes:
        stand = stand_of(job, node)
        if stand is None:
            continue
        told: list[str] = []
        if max(MOUNTING_DB[stand.mounting].values()) > 0:
            worst = max(MOUNTING_DB[stand.mounting].values())
            told.append(f"{stand.mounting}: costs up to {worst:.0f} dB")
        if stand.height_m < LOW_M:
            told.append(f"{stand.height_m:.1f} m above the floor; eye level to ceiling is better")
        at = [
            min(v - min(side), max(side) - v) / max(max(side) - min(side), 1e-9)
            for v, side in ((stand.x_m, xs), (stand.y_m, ys))
        ]
        if max(at) < CORNER_FRACTION and node.uplink is None:
            told.append("in the house's corner: half of what it sends leaves the house")
        for obstacle in job.building.obstacles:
            far = math.hypot(obstacle.x_m - stand.x_m, obstacle.y_m - stand.y_m)
            loss = OBSTACLES[obstacle.kind][0] if obstacle.loss_db is None else obstacle.loss_db
            if obstacle.storey == stand.storey and far < METAL_NEAR_M and loss >= SHADING_DB:
                told.append(f"{obstacle.kind} {far:.1f} m away: shades {loss:.0f} dB on its side")
        here = stand_point(job.building, stand)
        told += [f"{name} {math.dist(here, p):.1f} m away" for name, p in ovens if math.dist(here, p) < OVEN_NEAR_M]
        if told:
            yield finding(
                "placement",
                "optional",
                f"{node.name} stands badly",
                "Central, open and high, away from metal and appliances, a node reaches furthest.",
                told,
                "See under House what moving it would bring, in dB at each spot.",
                "worked out",
                (node.id,),
                "house",
            )
