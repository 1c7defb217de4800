"""Devices written down quickly: a pasted list or CSV, kinds guessed from names, the busy hour told in words."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from even_static.core.errors import BadInput
from even_static.core.house.basics import fresh_identifier, printable_name
from even_static.core.house.csv_rows import csv_rows
from even_static.core.house.job import Job
from even_static.core.house.kit import Device, Place
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.devices import ACTIVITIES, KINDS, UNKNOWN_KIND, Activity, DeviceKind
from even_static.core.tables.phy import GENERATION_ORDER

MOST_DEVICES = 300
NUMBERS = {w: n for n, w in enumerate(("one", "two", "three", "four", "five", "six", "seven", "eight", "nine"), 1)}
CSV_FIELDS = ("name", "kind", "place", "count", "bands", "generation", "streams", "down_mbps", "up_mbps", "must_have")


@dataclass(frozen=True, slots=True)
class Pasted:
    """Devices read from a list, and what should still be asked about them."""

    devices: tuple[Device, ...]
    questions: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """A part of the busy hour as understood: what, by which device, or what to ask."""

    text: str
    activity: str | None
    device_ids: tuple[str, ...]
    down_mbps: float
    up_mbps: float
    question: str


def device_ids(job: Job) -> list[str]:
    """Identifiers of all devices of the household, on Wi-Fi, Zigbee and Thread: complaints and drop-outs name any."""
    on_mesh = [d.id for mesh in (job.zigbee, job.thread) if mesh is not None for d in mesh.devices]
    return [*(d.id for d in job.devices), *on_mesh]


def device_of(job: Job, name: str, kind: DeviceKind, place_id: str, taken: Iterable[str] = ()) -> Device:
    """A device of a kind, as a start that can be changed afterwards."""
    return Device(
        id=fresh_identifier(name, [*device_ids(job), *taken]),
        name=name[:80],
        place_id=place_id,
        bands=kind.bands,
        generation=kind.generation,
        streams=kind.streams,
        max_width_mhz=80 if kind.streams > 1 else 20,
        demand_down_mbps=kind.down_mbps,
        demand_up_mbps=kind.up_mbps,
        must_have=kind.must_have,
        awkward=kind.awkward,
    )


def kind_named(text: str) -> DeviceKind | None:
    """The kind that a word or a device's name tells; None where none does."""
    low = text.strip().lower()
    exact = next((k for k in KINDS if k.name.lower() == low), None)
    if exact is not None:
        return exact
    words = re.findall(r"[a-z0-9-]+", low)
    hits = [(low.find(w), k) for k in KINDS for w in k.words if w in words or (len(w) > 4 and w in low)]
    # The last word says what it is: a "phone speaker" is a speaker.
    return max(hits, key=lambda h: h[0])[1] if hits else None


def read_devices(job: Job, text: str, place_id: str) -> Pasted:
    """Devices from a pasted list (``3 x lamp plug, attic``, one a line, kind and place in any order) or from CSV with a
    header (``name`` and any of kind, place, count, bands, generation, streams, down_mbps, up_mbps, must_have).

    Where a line names no place, ``place_id`` is taken. What tells no kind is marked unknown. BadInput names the line.
    """
    if all(p.id != place_id for p in job.places):
        raise BadInput("place_id", "must name a place of the call", place_id, ", ".join(p.id for p in job.places[:12]))
    lines = text.replace("\ufeff", "").splitlines()
    first = next((line for line in lines if line.strip()), "")
    if not first:
        raise BadInput("text", "must hold a device", "nothing", "a name on each line, such as: 3 x lamp plug, attic")
    header = [h.strip().lower() for h in first.split(",")]
    made: list[Device] = []
    questions: list[str] = []
    if "name" in header and len(header) > 1:
        below = [line for line in lines if line.strip()][1:]
        for n, row in csv_rows(below, header):
            _add(job, made, questions, n, *_from_row(job, n, row, place_id))
    else:
        for n, line in enumerate(lines, 1):
            if line.strip():
                _add(job, made, questions, n, *_from_line(job, n, line, place_id))
    return Pasted(tuple(made), tuple(questions))


Spec = tuple[int, str, DeviceKind | None, str, dict[str, object]]


def _add(
    job: Job,
    made: list[Device],
    questions: list[str],
    line: int,
    count: int,
    name: str,
    kind: DeviceKind | None,
    place_id: str,
    more: dict[str, object],
) -> None:
    printable_name(f"line {line}, name", name)
    if len(job.devices) + len(made) + count > MOST_DEVICES:
        rule = "must not bring more devices than can be worked with"
        raise BadInput(f"line {line}", rule, count, f"{MOST_DEVICES} in all")
    for i in range(count):
        label = f"{name} {i + 1}" if count > 1 else name
        device = device_of(job, label, kind or UNKNOWN_KIND, place_id, [d.id for d in made])
        made.append(replace(device, unknown=kind is None, **more))  # type: ignore[arg-type]
    if kind is None:
        questions.append(f"{name}: what is it? Ask; it is counted as a {UNKNOWN_KIND.name} until then")


def _from_line(job: Job, n: int, line: str, place_id: str) -> Spec:
    match = re.match(r"\s*(?:(\d{1,3})\s*[x×*]?\s+(?=\D))?(.*)$", line)
    assert match is not None
    count = int(match.group(1) or 1)
    parts = [p.strip() for p in re.split(r"[,;\t]", match.group(2))]
    if not parts[0] or count < 1:
        raise BadInput(f"line {n}", "must hold a name", line.strip()[:60], "such as: 3 x lamp plug, attic")
    name, rest = parts[0], parts[1:]
    kind, at = None, place_id
    for part in filter(None, rest):
        place = _place(job.places, part)
        if place is not None:
            at = place.id
        elif kind_named(part) is not None:
            kind = kind_named(part)
        else:
            raise BadInput(
                f"line {n}", "must name a place or a kind after the name", part[:60], ", ".join(k.name for k in KINDS)
            )
    return count, name, kind or kind_named(name), at, {}


def _from_row(job: Job, n: int, row: dict[str, str | None], place_id: str) -> Spec:
    got = {k: (v or "").strip() for k, v in row.items() if k in CSV_FIELDS}
    if not got.get("name"):
        raise BadInput(f"line {n}, name", "must be given", "nothing", "a name")
    kind = None
    if got.get("kind"):
        kind = kind_named(got["kind"])
        if kind is None:
            raise BadInput(f"line {n}, kind", "must be a kind", got["kind"][:60], ", ".join(k.name for k in KINDS))
    at = place_id
    if got.get("place"):
        place = _place(job.places, got["place"])
        if place is None:
            known = ", ".join(p.name for p in job.places[:12])
            raise BadInput(f"line {n}, place", "must be a place of the call", got["place"][:60], known)
        at = place.id
    more: dict[str, object] = {}
    for field, key in (("down_mbps", "demand_down_mbps"), ("up_mbps", "demand_up_mbps")):
        if got.get(field):
            more[key] = _number(n, field, got[field], 10_000)
    if got.get("streams"):
        more["streams"] = int(_number(n, "streams", got["streams"], 8))
    if got.get("must_have"):
        more["must_have"] = got["must_have"].lower() in ("yes", "y", "true", "1", "must")
    if got.get("bands"):
        more["bands"] = _bands(n, got["bands"])
    if got.get("generation"):
        if got["generation"] not in GENERATION_ORDER:
            raise BadInput(f"line {n}, generation", "must be one", got["generation"][:20], ", ".join(GENERATION_ORDER))
        more["generation"] = got["generation"]
    count = int(_number(n, "count", got["count"], 200)) if got.get("count") else 1
    return max(count, 1), got["name"], kind or kind_named(got["name"]), at, more


def _number(n: int, field: str, text: str, most: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = -1.0
    if not 0 <= value <= most:
        raise BadInput(f"line {n}, {field}", "must be a number", text[:20], f"0 to {most:g}")
    return value


def _bands(n: int, text: str) -> tuple[Band, ...]:
    wanted = {t.strip().removesuffix("GHz").strip() for t in re.split(r"[ /+|]", text.replace("GHz", "")) if t.strip()}
    found = tuple(b for b in BANDS if b.removesuffix(" GHz") in wanted)
    if not found or len(found) != len(wanted):
        raise BadInput(f"line {n}, bands", "must be bands", text[:40], "2.4, 5, 6, joined by a slash")
    return found


def _place(places: tuple[Place, ...], text: str) -> Place | None:
    low = text.strip().lower()
    exact = [p for p in places if low in (p.name.lower(), p.id)]
    near = [p for p in places if low in p.name.lower()] if len(low) > 2 else []
    return exact[0] if exact else near[0] if len(near) == 1 else None


# -- the busy hour -----------------------------------------------------------------------------------------------


def read_wishes(job: Job, text: str) -> list[Wish]:
    """The busy hour told in words ("two films, a lesson in the music room"), clause by clause: which device does what.

    A device that is named is taken; else one at the place that is named, a busy one first; else the clause is asked
    about. Nothing is guessed where several would do.
    """
    wishes: list[Wish] = []
    taken: set[str] = set()
    for clause in re.split(r"[,;.\n]|\band\b|\bwhile\b", text):
        words = clause.strip()
        if not words:
            continue
        activity = _activity(words)
        if activity is None:
            wishes.append(
                Wish(
                    text=words, activity=None, device_ids=(), down_mbps=0.0, up_mbps=0.0, question="what is done there?"
                )
            )
            continue
        devices = _who(job, words, activity, taken, _count(words))
        taken |= set(devices)
        question = "" if len(devices) == _count(words) else f"which device does it? {_count(words)} wanted"
        wishes.append(
            Wish(
                text=words,
                activity=activity.name,
                device_ids=devices,
                down_mbps=activity.down_mbps,
                up_mbps=activity.up_mbps,
                question=question,
            )
        )
    return wishes


def with_wishes(job: Job, wishes: list[Wish]) -> Job:
    """The job with the busy hour's demands: devices that are named take theirs, the others keep what they have."""
    demand = {d: (w.down_mbps, w.up_mbps) for w in wishes for d in w.device_ids}
    devices = tuple(
        replace(d, demand_down_mbps=demand[d.id][0], demand_up_mbps=demand[d.id][1], must_have=True)
        if d.id in demand
        else d
        for d in job.devices
    )
    return replace(job, devices=devices)


def _activity(words: str) -> Activity | None:
    low = words.lower()
    return next((a for a in ACTIVITIES if any(w in low for w in a.words)), None)


def _count(words: str) -> int:
    match = re.search(r"\b(\d{1,2})\b", words)
    if match:
        return max(1, min(int(match.group(1)), 20))
    return next((n for w, n in NUMBERS.items() if re.search(rf"\b{w}\b", words.lower())), 1)


def _who(job: Job, words: str, activity: Activity, taken: set[str], count: int) -> tuple[str, ...]:
    low = words.lower()
    named = [d.id for d in job.devices if d.name.lower() in low and d.id not in taken]
    if named:
        return tuple(named[:count])
    at = [p.id for p in job.places if p.name.lower() in low]
    here = [d for d in job.devices if d.place_id in at and d.id not in taken]
    # Who can do it: what wants to upload must not be a lamp.
    fit = [d for d in here if d.demand_down_mbps + d.demand_up_mbps >= 0.5 or activity.down_mbps < 1]
    fit.sort(key=lambda d: -(d.demand_down_mbps + d.demand_up_mbps))
    return tuple(d.id for d in fit[:count])


# -- how many ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Crowd:
    """A box with the devices that hang on it, beside what it carries well."""

    node_id: str
    devices: int
    device_limit: int
    tired: bool


def crowds(job: Job, radio_of: dict[str, str | None]) -> list[Crowd]:
    """How many devices each box has, from the radio of each device."""
    counts = {n.id: 0 for n in job.nodes}
    for radio_id in radio_of.values():
        if radio_id is not None:
            counts[job.node_of(radio_id).id] += 1
    return [Crowd(n.id, counts[n.id], n.device_limit, counts[n.id] > n.device_limit) for n in job.nodes]
