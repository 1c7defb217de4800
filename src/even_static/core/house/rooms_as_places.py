"""One house, one vocabulary: a room is at once a place where somebody listens, a device is used, a node stands.

Finer spots (a desk, a bed, the front door outside) are places of their own that hang on a room.
"""

from __future__ import annotations

from dataclasses import replace

from even_static.core.house.basics import fresh_identifier
from even_static.core.house.building import Building, Room
from even_static.core.house.job import Job
from even_static.core.house.kit import Place
from even_static.core.house.rooms import middle, room_at


def with_rooms_as_places(job: Job, before: Building | None) -> Job:
    """The job with every room that its building has and ``before`` had not as a place too.

    A place that was only named takes the room of its name: position and storey come with it. Rooms that were there
    before are left as they are, so that nothing that was measured changes.
    """
    if job.building is None:
        return job
    known = {r.id for r in before.rooms} if before is not None else set()
    places = list(job.places)
    for room in job.building.rooms:
        if room.id in known:
            continue
        named = next((i for i, p in enumerate(places) if _means(p, room)), None)
        if named is None:
            places.append(place_of_room(room, [p.id for p in places]))
        elif places[named].x_m is None:
            x, y = middle(room)
            places[named] = replace(places[named], room_id=room.id, storey=room.storey, x_m=x, y_m=y)
        else:
            places[named] = replace(places[named], room_id=room.id)
    return replace(job, places=tuple(places))


def with_rooms_known(job: Job) -> Job:
    """The job with each place that lies in a room said to be in it: for calls from before rooms were places."""
    if job.building is None or not job.building.rooms:
        return job
    places = []
    for place in job.places:
        if place.room_id is None and place.x_m is not None and place.y_m is not None and not place.outdoors:
            room = room_at(job.building, place.storey, place.x_m, place.y_m)
            place = replace(place, room_id=room.id) if room is not None else place
        places.append(place)
    return replace(job, places=tuple(places))


def without_lost_rooms(job: Job) -> Job:
    """The job with no place in a room that has gone: the place stays where it is."""
    rooms = {r.id for r in job.building.rooms} if job.building is not None else set()
    if all(p.room_id is None or p.room_id in rooms for p in job.places):
        return job
    return replace(job, places=tuple(p if p.room_id in rooms else replace(p, room_id=None) for p in job.places))


def place_of_room(room: Room, taken: list[str]) -> Place:
    """A room as a place: its middle, at the height of a table."""
    x, y = middle(room)
    return Place(
        id=fresh_identifier(room.name, taken),
        name=room.name,
        storey=room.storey,
        outdoors=room.kind == "garden",
        x_m=x,
        y_m=y,
        room_id=room.id,
    )


def _means(place: Place, room: Room) -> bool:
    """Whether a place is the room itself: named for it, or of the same name on its storey or nowhere yet."""
    if place.room_id is not None:
        return place.room_id == room.id and place.name.lower() == room.name.lower()
    return place.name.lower() == room.name.lower() and (place.x_m is None or place.storey == room.storey)
