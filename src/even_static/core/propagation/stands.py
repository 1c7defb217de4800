"""Where nodes and places are in the building, in metres."""

from __future__ import annotations

import math
from dataclasses import replace

from even_static.core.house.building import Building, NodeStand, Stand
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Place
from even_static.core.house.readings import Scan

Point3 = tuple[float, float, float]
# A node that stands farther than this from its place has a place of its own.
SAME_SPOT_M = 1.0


def place_point(job: Job, place: Place) -> Point3 | None:
    """x, y, z of a place in m; None where it has not been placed, or the house has not been entered."""
    if job.building is None or place.x_m is None or place.y_m is None:
        return None
    return place.x_m, place.y_m, job.building.elevation_m(place.storey) + place.height_m


def stand_of(job: Job, node: Node) -> Stand | None:
    """A node's stand: its own, else its place's on a shelf; None where neither is known."""
    if node.stand is not None:
        return node.stand
    place = next(p for p in job.places if p.id == node.place_id)
    if place.x_m is None or place.y_m is None:
        return None
    return Stand(storey=place.storey, x_m=place.x_m, y_m=place.y_m, height_m=place.height_m)


def stand_then(job: Job, scan: Scan, node: Node) -> Stand | None:
    """Where a node stood when somebody scanned; where it stands now, if nobody has said where it stood then."""
    then = next((s.stand for s in scan.stands or () if s.node_id == node.id), None)
    return stand_of(job, node) if then is None else then


def stand_point(building: Building, stand: Stand) -> Point3:
    """x, y, z of a stand in m."""
    return stand.x_m, stand.y_m, building.elevation_m(stand.storey) + stand.height_m


def with_stand_places(job: Job) -> Job:
    """The job with a place of its own for every node that stands away from the place that it is listed at."""
    if job.building is None:
        return job
    places, nodes = list(job.places), []
    taken = {p.id for p in places}
    for node in job.nodes:
        if node.stand is not None:
            place = next(p for p in job.places if p.id == node.place_id)
            here, there = stand_point(job.building, node.stand), place_point(job, place)
            if there is None or math.dist(here, there) > SAME_SPOT_M:
                name = f"stand.{node.id}"[:40]
                if name not in taken:
                    taken.add(name)
                    s = node.stand
                    places.append(
                        Place(
                            id=name,
                            name=node.name,
                            storey=s.storey,
                            outdoors=place.outdoors,
                            x_m=s.x_m,
                            y_m=s.y_m,
                            height_m=min(s.height_m, 30.0),
                        )
                    )
                node = replace(node, place_id=name)
        nodes.append(node)
    if len(places) == len(job.places):
        return job
    return replace(job, places=tuple(places), nodes=tuple(nodes))


def stands_now(job: Job) -> tuple[NodeStand, ...] | None:
    """Where the nodes stand at present; None for a house that has not been entered."""
    stands = [(n.id, stand_of(job, n)) for n in job.nodes]
    known = tuple(NodeStand(i, s) for i, s in stands if s is not None)
    return known or None


def remembering_stands(job: Job, before: Job) -> Job:
    """The job whose readings without stands keep those that the nodes had before a move."""
    stands = stands_now(before)
    if stands is None or stands == stands_now(job) or all(li.stands is not None for li in job.scans):
        return job
    scans = tuple(li if li.stands is not None else replace(li, stands=stands) for li in job.scans)
    return replace(job, scans=scans)
