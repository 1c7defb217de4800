"""A line of a technician's notes, understood: a floor, a room, a node, a hub, a device, a complaint."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Literal

from even_static.core.errors import BadInput
from even_static.core.house.devices import kind_named
from even_static.core.house.typed import TypedRoom, read_line
from even_static.core.tables import notes as table
from even_static.core.tables.boxes import NODE_KINDS
from even_static.core.tables.devices import KINDS, DeviceKind
from even_static.core.tables.materials import HOUSE_TYPES

NotedKind = Literal["heading", "floor", "built", "room", "line", "node", "hub", "zigbee", "device", "complaint"]
USUAL_NODE_KIND = "dual band, 802.11ax"


@dataclass(frozen=True, slots=True, kw_only=True)
class Noted:
    """A line, understood: what it is about and the parts that were told. ``floor``: storeys above the ground, None for
    the floor under the roof; ``places``: names of rooms as typed; ``count``: how many devices of the name;
    ``kind_name``: kind of node or device; ``by_air``: whether a node's uplink is by radio, None where the line does not
    say; ``self_forming``: its mesh finds that link itself; ``on_mains`` and ``channel`` of the Zigbee mesh."""

    kind: NotedKind
    line: str
    name: str = ""
    places: tuple[str, ...] = ()
    floor: int | None = None
    sized: TypedRoom | None = None
    count: int = 1
    kind_name: str | None = None
    by_air: bool | None = None
    self_forming: bool = False
    on_mains: bool | None = None
    channel: int | None = None
    fixed: bool = False
    numbers: tuple[float, float] | None = None


def understood(line: str, under: str | None, units: str = "metric") -> Noted:
    """A line that is not empty, read as its words tell, else as what stands ``under`` such a heading.

    BadInput says what a line looks like.
    """
    text = line.strip()
    low = text.lower().rstrip(":").strip()
    if low in table.HEADINGS:
        return Noted(kind="heading", line=text, name=table.HEADINGS[low])
    floor = _floor(low, text.endswith(":"))
    if floor is not None:
        return Noted(kind="floor", line=text, floor=floor)
    if text.endswith(":"):
        if low in table.TOP_FLOORS:
            return Noted(kind="floor", line=text)
        accepted = ", ".join(f"{name}:" for name in ("ground floor", "upstairs", "attic", "rooms", "devices", "zigbee"))
        raise BadInput("line", "must be a floor or a kind of thing where it heads what follows", text[:60], accepted)
    return (
        _built(low)
        or _complaint(text, under)
        or _internet(text)
        or _hub(text)
        or _node(text, under)
        or _zigbee(text, under)
        or _room(text, under, units)
        or _device(text)
    )


def _floor(low: str, headed: bool) -> int | None:
    if low in table.FLOORS and (headed or " " in low or low.endswith("stairs")):
        return table.FLOORS[low]
    found = re.fullmatch(r"(?:floor|storey|level)\s*(-?\d{1,2})", low)
    return max(-5, min(50, int(found[1]))) if found else None


def _built(low: str) -> Noted | None:
    """What the house is built of: one of the house types by its name."""
    found = re.fullmatch(r"(?:built as|house type)[:,]? (?:an? )?(.+)", low)
    if found is None:
        return None
    if found[1] not in HOUSE_TYPES:
        raise BadInput("line", "must name a house type", found[1][:60], ", ".join(HOUSE_TYPES))
    return Noted(kind="built", line=low, name=found[1])


def _complaint(text: str, under: str | None) -> Noted | None:
    """A sentence of at least three words in which something goes wrong."""
    what = None if under in ("device", "room", "node", "zigbee") else complaint_in(text)
    if what is None and under == "complaint":
        known = ", ".join(dict.fromkeys(w for w, _ in table.COMPLAINTS))
        raise BadInput("line", "must say what goes wrong", text[:80], known)
    if what is None or (len(text.split()) < 3 and under != "complaint"):
        return None
    return Noted(kind="complaint", line=text, name=what)


def complaint_in(text: str) -> str | None:
    """What a sentence complains of; None where no words of it tell."""
    low = text.lower()
    for what, groups in table.COMPLAINTS:
        if all(any(re.search(rf"\b{re.escape(word)}", low) for word in group) for group in groups):
            everything = what == "a room is slow" and re.search(
                r"\b(everything|everywhere|all rooms|whole house)\b", low
            )
            return "everything is slow" if everything else what
    return None


def _internet(text: str) -> Noted | None:
    found = re.fullmatch(
        r"(?:subscription|internet|line|provider)[\s,:]+(\d+(?:\.\d+)?)\s*(?:/|\s|by|and)\s*(\d+(?:\.\d+)?)(?:\s*mb/?s?)?",
        text.lower(),
    )
    return Noted(kind="line", line=text, numbers=(float(found[1]), float(found[2]))) if found else None


def _hub(text: str) -> Noted | None:
    parts = _parts(text)
    if not re.fullmatch(r"(?:zigbee )?(?:hub|coordinator)", parts[0].lower()):
        return None
    places, channel, fixed = list[str](), None, False
    for part in parts[1:]:
        told = re.fullmatch(r"(?:(?:on|zigbee) )?channel\s*(\d{1,2})( fixed)?", part.lower())
        if told:
            channel, fixed = int(told[1]), fixed or bool(told[2])
        elif part.lower() in ("fixed", "cannot be changed"):
            fixed = True
        else:
            places.append(part)
    _one_place("hub", text, places)
    return Noted(kind="hub", line=text, name=parts[0], places=tuple(places), channel=channel, fixed=fixed)


def _node(text: str, under: str | None) -> Noted | None:
    parts = _parts(text)
    first = parts[0].lower()
    word = next((w for w in sorted(table.NODE_WORDS, key=len, reverse=True) if re.search(rf"\b{w}\b", first)), None)
    if (word is None and under != "node") or len(parts) < 2:
        return None
    by_air, kind, places = None if word is None else table.NODE_WORDS[word], None, list[str]()
    forming = False
    for part in parts[1:]:
        low = part.lower()
        told = node_kind(low)
        if low in table.BY_THE_MESH:
            by_air = forming = True
        elif low in table.BY_AIR or low in table.BY_CABLE:
            by_air = low in table.BY_AIR
        elif told is not None:
            kind = told
        else:
            places.append(part)
    if word in ("repeater", "extender"):
        kind = next(k.name for k in NODE_KINDS if k.repeater)
    _one_place("node", text, places)
    return Noted(
        kind="node",
        line=text,
        name=parts[0],
        places=tuple(places),
        kind_name=kind,
        by_air=by_air,
        self_forming=forming,
    )


def node_kind(low: str) -> str | None:
    """The kind of box that a part of a note tells: its name, or its bands and generation in short."""
    exact = next((k.name for k in NODE_KINDS if k.name.lower() == low), None)
    if exact is not None:
        return exact
    bands = next((n for n, w in ((4, "four radio"), (3, "three"), (2, "dual"), (2, "two band")) if w in low), None)
    spoken = re.search(r"(?:802\.11)?\b(ac|ax|be)\b|802\.11(ac|ax|be)", low)
    if bands is None and spoken is None:
        return None
    generation = f"802.11{spoken[1] or spoken[2]}" if spoken else "802.11ax"
    fitting = [k for k in NODE_KINDS if not k.repeater and k.generation == generation]
    wanted = [k for k in fitting if bands is None or len(k.bands) == bands]
    if "radio" in low:
        wanted = [k for k in wanted if len(set(k.bands)) < len(k.bands)] or wanted
    return (wanted or fitting or [NODE_KINDS[1]])[0].name


def _zigbee(text: str, under: str | None) -> Noted | None:
    named = re.match(r"\s*(?P<count>\d{1,3}\s*[x×*]?\s+)?zigbee[ :]+(?=\S)", text, re.IGNORECASE)
    if not named and under != "zigbee":
        return None
    count, parts = _counted((named["count"] or "") + text[named.end() :] if named else text)
    mains, places = None, list[str]()
    for part in parts[1:]:
        low = part.lower()
        if low in ("mains", "on mains", "router", "battery", "end device"):
            mains = low in ("mains", "on mains", "router")
        else:
            places.append(part)
    _one_place("zigbee device", text, places)
    if mains is None:
        mains = any(re.search(rf"\b{w}", parts[0].lower()) for w in table.ON_MAINS)
    return Noted(kind="zigbee", line=text, name=parts[0], places=tuple(places), count=count, on_mains=mains)


def _room(text: str, under: str | None, units: str) -> Noted | None:
    try:
        sized = read_line(text, units)
    except BadInput as error:
        if error.field != "line":
            raise
        sized = None
    if sized is not None:
        return Noted(kind="room", line=text, name=sized.name, places=(sized.name,), sized=sized)
    if under == "device":
        return None
    parts = _parts(text)
    plain = all(re.fullmatch(r"[^\W\d_][^/]{1,59}", p) and kind_named(p) is None for p in parts)
    if under == "room" or (plain and under is None):
        return Noted(kind="room", line=text, name=parts[0], places=tuple(parts))
    return None


def _device(text: str) -> Noted:
    count, parts = _counted(text)
    kind: DeviceKind | None = None
    places: list[str] = []
    for part in parts[1:]:
        told = next((k for k in KINDS if k.name.lower() == part.lower()), None)
        if told is not None:
            kind = told
        else:
            places.append(part)
    _one_place("device", text, places)
    kind = kind or kind_named(parts[0])
    name = None if kind is None else kind.name
    return Noted(kind="device", line=text, name=parts[0], places=tuple(places), count=count, kind_name=name)


def _counted(text: str) -> tuple[int, list[str]]:
    match = re.match(r"\s*(?:(\d{1,3})\s*[x×*]?\s+(?=\D))?(.*)$", text)
    assert match is not None
    count = int(match[1] or 1)
    if not 1 <= count <= 200:
        raise BadInput("line", "must name 1 to 200 devices", count, "such as: 3 x lamp plug, attic")
    return count, _parts(match[2])


def _parts(text: str) -> list[str]:
    parts = [p.strip() for p in re.split(r"[,;\t]", text) if p.strip()]
    if not parts:
        raise BadInput("line", "must hold a name", text[:40], "such as: television, bedroom")
    return parts


def _one_place(what: str, text: str, places: list[str]) -> None:
    if len(places) > 1:
        raise BadInput("line", f"must name one room where the {what} is", text[:80], "such as: television, bedroom")
