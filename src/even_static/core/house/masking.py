"""A job as it may be handed out: other people's networks go by letters, their addresses by made-up ones."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace

from even_static.core.house.job import Job, Listen, Reading

LEAST_LETTERS = 3
# Prefix of made-up addresses: locally administered (IEEE 802), not used by the demo's houses.
PREFIX = "02:ee"


def letter_of(index: int) -> str:
    """A, B, ... Z, AA, AB, ..."""
    letters = ""
    index += 1
    while index:
        index, rest = divmod(index - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def letters_of(job: Job) -> dict[str, str]:
    """A letter for every foreign network by its address, the loudest first; one name has one letter."""
    own = {r.bssid for r in job.radios}
    loudest: dict[str, Reading] = {}
    for listen in job.listens:
        for reading in listen.readings:
            known = loudest.get(reading.bssid)
            if reading.bssid not in own and (known is None or reading.rssi_dbm > known.rssi_dbm):
                loudest[reading.bssid] = reading
    found: dict[str, str] = {}
    by_name: dict[str, str] = {}
    count = 0
    for bssid, reading in sorted(loudest.items(), key=lambda entry: (-entry[1].rssi_dbm, entry[0])):
        letter = by_name.get(reading.ssid) if reading.ssid else None
        if letter is None:
            letter = letter_of(count)
            count += 1
            if reading.ssid:
                by_name[reading.ssid] = letter
        found[bssid] = letter
    return found


def masked(job: Job) -> Job:
    """The job without anything that names a neighbour: names become "network A", addresses made-up ones, identifiers of
    other people's 802.15.4 networks go, their names are taken out of what people have typed, photographs stay behind.

    Levels, channels and times stay, so that every figure comes out the same.
    """
    letters = letters_of(job)
    address = {b: f"{PREFIX}:{n >> 24 & 255:02x}:{n >> 16 & 255:02x}:{n >> 8 & 255:02x}:{n & 255:02x}"
               for n, b in enumerate(letters)}  # fmt: skip
    names = {r.ssid: letters[r.bssid] for li in job.listens for r in li.readings if r.bssid in letters and r.ssid}
    clean = _cleaner(job, names)

    def reading(r: Reading) -> Reading:
        if r.bssid not in letters:
            return r
        return replace(r, bssid=address[r.bssid], ssid=f"network {letters[r.bssid]}" if r.ssid else "")

    def listen(li: Listen) -> Listen:
        source = clean(li.source)
        return replace(li, readings=tuple(reading(r) for r in li.readings), running=clean(li.running), source=source)

    pans = [replace(p, pan_id=p.pan_id if p.own else f"0x{n + 1:04x}") for n, p in enumerate(job.pans)]
    return replace(
        job,
        title=clean(job.title)[:80],
        complaint=clean(job.complaint),
        listens=tuple(listen(li) for li in job.listens),
        pans=tuple(pans),
        changes=tuple(replace(c, reason=clean(c.reason)) for c in job.changes),
        complaints=tuple(replace(c, since=clean(c.since), tried=clean(c.tried)) for c in job.complaints),
        answers=tuple(replace(a, note=clean(a.note)) for a in job.answers),
        plans=tuple(replace(p, name=clean(p.name)[:80]) for p in job.plans),
        trials=tuple(
            replace(
                t,
                name=clean(t.name)[:80],
                a=replace(t.a, name=clean(t.a.name)[:80]),
                b=replace(t.b, name=clean(t.b.name)[:80]),
            )
            for t in job.trials
        ),
        drop_outs=tuple(replace(d, note=clean(d.note)) for d in job.drop_outs),
        follow_ups=tuple(replace(f, note=clean(f.note)) for f in job.follow_ups),
        sheet=None if job.sheet is None else replace(job.sheet, reason=clean(job.sheet.reason)),
        building=None if job.building is None else replace(job.building, underlays=()),
        photos=(),
    )


def _cleaner(job: Job, names: dict[str, str]) -> Callable[[str], str]:
    """Takes other networks' names and addresses out of text; the house's own names stay."""
    own = {r.ssid for r in job.radios}
    wanted = sorted((n for n in names if len(n) >= LEAST_LETTERS and n not in own), key=len, reverse=True)
    pattern = re.compile("|".join(rf"(?<!\w){re.escape(n)}(?!\w)" for n in wanted), re.IGNORECASE) if wanted else None
    lower = {n.lower(): letter for n, letter in names.items()}
    mac = re.compile(r"\b[0-9A-Fa-f]{2}([:-])(?:[0-9A-Fa-f]{2}\1){4}[0-9A-Fa-f]{2}\b")

    def clean(text: str) -> str:
        text = mac.sub("(an address)", text)
        return pattern.sub(lambda m: f"network {lower[m.group().lower()]}", text) if pattern is not None else text

    return clean
