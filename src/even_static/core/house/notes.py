"""A technician's notes, line by line, taken down into a call: rooms, nodes, devices, the Zigbee mesh, complaints.

Rooms and devices that a line names and nobody has entered are made on the spot, so nothing has to be entered first.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier, printable_name
from even_static.core.house.boxes import with_node
from even_static.core.house.building import Building, floor_text
from even_static.core.house.complaint import Complaint, When
from even_static.core.house.devices import MOST_DEVICES, device_of, kind_named
from even_static.core.house.edit import with_past_following
from even_static.core.house.entries import fresh_key, with_changed, with_hub, with_mesh_member
from even_static.core.house.job import Job, Subscription
from even_static.core.house.kit import Device, Place, Uplink
from even_static.core.house.mesh import MeshDevice
from even_static.core.house.noted import USUAL_NODE_KIND, Noted, NotedKind, understood
from even_static.core.house.rooms_as_places import with_rooms_as_places
from even_static.core.house.typed import add_typed
from even_static.core.spectrum.channels import ZIGBEE_CHANNELS
from even_static.core.tables import notes as table
from even_static.core.tables.boxes import NODE_KINDS
from even_static.core.tables.devices import KINDS, UNKNOWN_KIND
from even_static.core.tables.materials import HOUSE_TYPES
from even_static.core.tables.phy import GENERATION_ORDER

MOST_LINES = 400
_VERBS = "stalls?|drops?|goes|keeps?|loses|does|fails?|cuts|breaks?|stutters?|stops?|freezes|disconnects|vanishes|gets"
_NOT_ROOMS = ("the evening", "evening", "evenings", "the morning", "the night", "the afternoon", "general", "the house")


@dataclass(frozen=True, slots=True, kw_only=True)
class TakenNote:
    """A line of the notes: what it was taken as, in a sentence; what should be asked about it; empty where nothing."""

    line_number: int
    line: str
    kind: NotedKind | None
    """None where it was not understood."""
    said: str
    question: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class NotesTaken:
    """The call with the notes in it, each line as it was understood, and the lines that were not."""

    job: Job
    notes: tuple[TakenNote, ...]
    left: str


def take_notes(job: Job, text: str, check: Callable[[Job, Job], None] = lambda before, after: None) -> NotesTaken:
    """Take notes down, line by line; one that is not understood is left, takes nothing and says what lines look like.

    ``check`` is asked after each line, with the job before and after it, and refuses what could not be stored by a
    BadInput: that line is left too. Raises BadInput only where there are more lines than anybody writes.
    """
    lines = text.replace("\ufeff", "").splitlines()
    if len(lines) > MOST_LINES:
        raise BadInput("text", "must not have more lines than a house has", len(lines), f"{MOST_LINES} lines")
    taker = _Taker(job)
    found, left, heading = list[TakenNote](), list[str](), ""
    for n, line in enumerate(lines, 1):
        clean = line.strip().lstrip("-*•").strip()
        if not clean:
            continue
        before = taker.job
        try:
            noted = understood(printable_name("line", clean[:300]), taker.under, taker.units)
            said, question = taker.take(noted)
            if taker.job is not before:
                taker.job = with_past_following(taker.job)
                check(before, taker.job)
        except BadInput as error:
            taker.job = before
            came = f" (got “{error.received}”)" if error.received and error.received != clean else ""
            said = f"{error.rule[:1].upper()}{error.rule[1:]}{came}: {error.accepted}"
            found.append(TakenNote(line_number=n, line=clean, kind=None, said=said))
            left += [heading, line] if heading else [line]
            heading = ""
            continue
        heading = line if noted.kind in ("heading", "floor") else heading
        found.append(TakenNote(line_number=n, line=clean, kind=noted.kind, said=said, question=question))
    return NotesTaken(job=taker.job, notes=tuple(found), left="\n".join(left))


class _Taker:
    """Takes one line after another; remembers the floor and the heading that they stand under."""

    def __init__(self, job: Job) -> None:
        self.job = job
        self.under: str | None = None
        self.floor = 0
        self.beside: str | None = None

    @property
    def units(self) -> str:
        """Units of the building's bare numbers."""
        return "metric" if self.job.building is None else self.job.building.units

    def take(self, noted: Noted) -> tuple[str, str]:
        """(what was taken, in a sentence; what to ask)."""
        if noted.kind == "heading":
            self.under = noted.name
            return f"What follows: {noted.line.rstrip(':').lower()}", ""
        if noted.kind == "floor":
            floor = self._top() if noted.floor is None else noted.floor
            self.floor, self.beside, self.under = floor, None, None
            return f"What follows is on the {floor_text(floor)}", ""
        if noted.kind == "built":
            house_type = next(t for t in HOUSE_TYPES if t == noted.name)
            self.job = replace(self.job, building=replace(self.job.building or Building(), house_type=house_type))
            return f"Built as a {house_type}: its walls and floors follow", ""
        if noted.kind == "line":
            assert noted.numbers is not None
            down, up = noted.numbers
            self.job = replace(self.job, subscription=Subscription(down_mbps=down, up_mbps=up))
            return f"Subscription: {down:g} Mb/s down, {up:g} Mb/s up", ""
        if noted.kind != "room":
            # A floor's heading is for the rooms below it.
            self.floor = 0
        return {
            "room": self._room,
            "node": self._node,
            "hub": self._hub,
            "zigbee": self._zigbee,
            "device": self._device,
            "complaint": self._complaint,
        }[noted.kind](noted)

    # -- rooms -----------------------------------------------------------------------------------------------------

    def _top(self) -> int:
        """The floor under the roof: over the highest room that is not up there itself."""
        rooms = () if self.job.building is None else self.job.building.rooms
        below = [r.storey for r in rooms if table.FLOOR_OF_ROOM.get(r.name.lower()) != "top"]
        return max(below, default=0) + 1

    def place(self, name: str) -> Place:
        """The place of a name; made where there is none."""
        found = place_named(self.job.places, name)
        if found is None:
            found = Place(
                id=fresh_identifier(name, [p.id for p in self.job.places]),
                name=printable_name("place", name)[:80],
                storey=self._floor_of(name),
                outdoors=name.lower().startswith(("garden", "outside", "yard", "terrace", "drive")),
            )
            self.job = replace(self.job, places=(*self.job.places, found))
        return found

    def _floor_of(self, name: str) -> int:
        """The floor of a room that is only named: by its name where that tells, else the one last spoken of."""
        levels = [0] if self.job.building is None else [s.level for s in self.job.building.storeys]
        word = next((w for w in table.FLOOR_OF_ROOM if re.search(rf"\b{w}\b", name.lower())), None)
        if word is None:
            return self.floor
        return {"top": max(*levels, 1), "bottom": min(*levels, -1), "ground": 0}[table.FLOOR_OF_ROOM[word]]

    def _room(self, noted: Noted) -> tuple[str, str]:
        known = [place_named(self.job.places, name) is not None for name in noted.places]
        if noted.sized is None and self.under is None and known == [False, True]:
            # What stands before a room that there is, and is none itself, is a thing in it.
            return self._device(replace(noted, kind="device", places=noted.places[1:]))
        if noted.sized is None:
            made = [self.place(name) for name in noted.places]
            names = ", ".join(p.name for p in made)
            return f"{'Room' if len(made) == 1 else 'Rooms'}: {names}, {floor_text(made[0].storey)}, size not said", ""
        before = self.job.building
        building, room_id = add_typed(before or Building(), noted.line, storey=self.floor, beside_id=self.beside)
        self.job = with_rooms_as_places(replace(self.job, building=building), before)
        room = next(r for r in building.rooms if r.id == room_id)
        if room.storey == self.floor:
            self.beside = room_id
        size = f"{noted.sized.width_m:g} by {noted.sized.depth_m:g} m"
        return f"Room: {room.name}, {size}, {floor_text(room.storey)}", ""

    # -- kit -------------------------------------------------------------------------------------------------------

    def _node(self, noted: Noted) -> tuple[str, str]:
        place = self.place(noted.places[0]) if noted.places else None
        if place is None:
            raise BadInput("line", "must name the room where the node stands", noted.line[:80], "router, hall")
        taken = {n.name.lower() for n in self.job.nodes}
        name = noted.name[:1].upper() + noted.name[1:]
        name = name if name.lower() not in taken else f"{name} {place.name.lower()}"
        kind = noted.kind_name or (self._kind_before() or USUAL_NODE_KIND)
        first = not self.job.nodes
        self.job = with_node(self.job, name[:80], place.id, kind)
        fed = "" if first else ", on a cable"
        node = self.job.nodes[-1]
        if noted.by_air and node.uplink is not None and node.uplink.band is None:
            band = table.USUAL_LINK_BAND
            both = {r.band for r in node.radios} & {r.band for r in self.job.nodes[0].radios}
            if band in both:
                up = Uplink(to_node_id=node.uplink.to_node_id, band=band)
                found = replace(node, uplink=up, self_forming=noted.self_forming)
                self.job = with_changed(self.job, "nodes", node.id, found)
                fed = f", over the air at {band}" + (", its link found by the mesh" if noted.self_forming else "")
        asked = "" if noted.kind_name or not first else "which kind is it? Its radios' pages say; change it under Kit"
        return f"Node: {node.name}, {place.name}, {kind}{fed}", asked

    def _kind_before(self) -> str | None:
        """What a kit's other nodes are: the same as its router, as far as a kind has its bands and generation."""
        if not self.job.nodes:
            return None
        bands = tuple(r.band for r in self.job.nodes[0].radios)
        newest = max((r.generation for r in self.job.nodes[0].radios), key=GENERATION_ORDER.index)
        return next(
            (k.name for k in NODE_KINDS if k.bands == bands and k.generation == newest and not k.repeater), None
        )

    def _hub(self, noted: Noted) -> tuple[str, str]:
        if not noted.places:
            raise BadInput("line", "must name the room where the hub is", noted.line[:80], "hub, hall, channel 15")
        channel = noted.channel or min(ZIGBEE_CHANNELS)
        if channel not in ZIGBEE_CHANNELS:
            accepted = f"{min(ZIGBEE_CHANNELS)} to {max(ZIGBEE_CHANNELS)}"
            raise BadInput("channel", "must be a Zigbee channel", channel, accepted)
        place = self.place(noted.places[0])
        self.job = with_hub(self.job, place.id, channel, fixed=noted.fixed)
        asked = "" if noted.channel else f"which channel is it on? Counted as {channel} until the hub's page was read"
        return f"Zigbee hub: {place.name}, channel {channel}{', fixed' if noted.fixed else ''}", asked

    def _zigbee(self, noted: Noted) -> tuple[str, str]:
        if self.job.zigbee is None:
            raise BadInput("line", "must come after the hub", noted.line[:80], "first: hub, hall, channel 15")
        if not noted.places:
            raise BadInput("line", "must name the room where it is", noted.line[:80], "zigbee plug, study")
        place = self.place(noted.places[0])
        for label in _labels(noted, [d.name for d in self.job.zigbee.devices]):
            device = MeshDevice(
                id=fresh_key(self.job, "zigbee_devices", label),
                name=label,
                place_id=place.id,
                mains_powered=bool(noted.on_mains),
            )
            self.job = with_mesh_member(self.job, "zigbee", device)
        power = "on the mains: passes frames on" if noted.on_mains else "on a battery"
        return f"{_times(noted)}: Zigbee, {place.name}, {power}", ""

    def _device(self, noted: Noted) -> tuple[str, str]:
        if not noted.places:
            known = "television, bedroom" if kind_named(noted.name) else "a room and its size: kitchen 4.2 3.1"
            raise BadInput("line", "must name the room where it is used", noted.line[:80], known)
        if len(self.job.devices) + noted.count > MOST_DEVICES:
            raise BadInput(
                "line", "must not bring more devices than can be worked with", noted.count, str(MOST_DEVICES)
            )
        place = self.place(noted.places[0])
        mine = self._complained_of(noted, place)
        if mine is not None and noted.count == 1:
            return f"{_times(noted)}: the one in the complaint, {place.name}", ""
        if mine is not None:
            self._add_devices(replace(noted, count=noted.count - 1), place, numbered=True)
            return f"{_times(noted)}: {noted.kind_name}, {place.name}, the one in the complaint among them", ""
        self._add_devices(noted, place)
        if noted.kind_name is None:
            asked = f"what is it? Counted as a {UNKNOWN_KIND.name} until somebody says"
            return f"{_times(noted)}: device, {place.name}", asked
        return f"{_times(noted)}: {noted.kind_name}, {place.name}", ""

    def _complained_of(self, noted: Noted, place: Place) -> Device | None:
        """The device that a complaint has brought already, where a line speaks of it: of that name, in that room."""
        named = {c.device_id for c in self.job.complaints}
        return next(
            (
                d
                for d in self.job.devices
                if d.id in named and d.place_id == place.id and d.name.lower() == noted.name.lower()
            ),
            None,
        )

    def _add_devices(self, noted: Noted, place: Place, numbered: bool = False) -> Device:
        kind = next((k for k in KINDS if k.name == noted.kind_name), None)
        for label in _labels(noted, [d.name for d in self.job.devices], numbered):
            device = replace(device_of(self.job, label, kind or UNKNOWN_KIND, place.id), unknown=kind is None)
            self.job = replace(self.job, devices=(*self.job.devices, device))
        return self.job.devices[-1]

    # -- complaints ------------------------------------------------------------------------------------------------

    def _complaint(self, noted: Noted) -> tuple[str, str]:
        text, low = noted.line, noted.line.lower()
        place = self._place_in(text)
        device_id, device_name = self._device_in(noted, place)
        per_week = times_a_week(low)
        since = _after(text, r"since")
        what = noted.name
        complaint = Complaint(
            id=fresh_key(self.job, "complaints", what),
            what=what,  # type: ignore[arg-type]
            place_id=None if place is None else place.id,
            device_id=device_id,
            when=when_of(low),
            since=since,
            tried=_after(text, r"tried"),
            per_week=per_week,
        )
        said = self.job.complaint
        self.job = replace(
            self.job,
            complaints=(*self.job.complaints, complaint),
            complaint=(f"{said}\n{text}" if said else text)[:2000],
        )
        parts = [
            what,
            "everywhere" if place is None else place.name,
            device_name,
            complaint.when,
            None if per_week is None else f"{per_week:g} times a week",
            f"since {since}" if since else None,
        ]
        return f"Complaint: {', '.join(p for p in parts if p)}", ""

    def _place_in(self, text: str) -> Place | None:
        low = text.lower()
        for place in sorted(self.job.places, key=lambda p: -len(p.name)):
            if re.search(rf"\b{re.escape(place.name.lower())}\b", low):
                return place
        stop = rf"(?=\s+(?:on|when|while|since|every|in|at|is|are|once|twice|and|tried|{_VERBS})\b|\s*[,.;]|\s*$)"
        for found in re.finditer(rf"\bin (?:the |our |my |her |his )?([a-z][a-z' -]*?){stop}", low):
            name = text[found.start(1) : found.end(1)].strip()
            if name.lower() not in _NOT_ROOMS and f"the {name.lower()}" not in _NOT_ROOMS and kind_named(name) is None:
                return self.place(name)
        return None

    def _device_in(self, noted: Noted, place: Place | None) -> tuple[str | None, str | None]:
        """The device that a complaint names; made in the room that it names where nobody has entered it. What goes
        missing from a mesh is not made: which mesh it is in is not said."""
        low = noted.line.lower()
        meshed = self.job.zigbee.devices if self.job.zigbee is not None else ()
        everything: Iterable[Device | MeshDevice] = (*self.job.devices, *meshed)
        for device in sorted(everything, key=lambda d: -len(d.name)):
            if re.search(rf"\b{re.escape(device.name.lower())}\b", low):
                return device.id, device.name
        word = next(
            (w for k in KINDS for w in k.words if w not in ("radio", "game") and re.search(rf"\b{w}s?\b", low)), None
        )
        kind = None if word is None else kind_named(word)
        if kind is None or word is None or place is None or noted.name == "a sensor or plug goes missing":
            return None, None
        here = next((d for d in self.job.devices if d.place_id == place.id and kind_named(d.name) == kind), None)
        if here is None:
            here = self._add_devices(replace(noted, kind="device", name=word, kind_name=kind.name), place)
        return here.id, here.name


def place_named(places: Iterable[Place], name: str) -> Place | None:
    """The place of a name, whatever its capitals; without "the" in front."""
    low = re.sub(r"^(?:in |at |on )?(?:the )?", "", name.strip().lower())
    return next((p for p in places if low in (p.name.lower(), p.id)), None)


def when_of(low: str) -> When:
    """When it happens, by the words of a sentence in small letters."""
    if re.search(r"\bevenings?\b", low):
        return "in the evening"
    if re.search(r"\bsince\b", low):
        return "since something changed"
    if re.search(r"\b(?:while|when|whenever)\b", low):
        return "while something runs"
    return "always" if re.search(r"\b(?:always|constantly|all day|all the time)\b", low) else "at random"


def times_a_week(low: str) -> float | None:
    """How often, in times a week; None where the sentence does not say."""
    found = re.search(r"\b(\d{1,3})\s*(?:x|times)?\s*(?:a|per|each)\s*(day|week|month)\b", low)
    if found:
        return round(int(found[1]) * {"day": 7.0, "week": 1.0, "month": 12 / 52}[found[2]], 2)
    return next((n for words, n in table.PER_WEEK.items() if words in low), None)


def _after(text: str, word: str) -> str:
    found = re.search(rf"\b{word}\s+(?:already\s+)?(.+?)(?=[.;]|,\s*(?:tried|since|every|once|twice)\b|$)", text, re.I)
    return found[1].strip() if found else ""


def _labels(noted: Noted, taken: list[str], numbered: bool = False) -> list[str]:
    """A name for each of so many devices: numbered where there are several, or more than one without a number."""
    if noted.count == 1 and not numbered:
        return [noted.name[:80]]
    known = {t.lower() for t in taken}
    free = (f"{noted.name[:70]} {i}" for i in range(2 if numbered else 1, 1000))
    return [label for label, _ in zip((f for f in free if f.lower() not in known), range(noted.count), strict=False)]


def _times(noted: Noted) -> str:
    return noted.name[:1].upper() + noted.name[1:] if noted.count == 1 else f"{noted.count} × {noted.name}"
