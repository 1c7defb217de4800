"""Reads captures of IEEE 802.15.4 frames: which networks are there, on which channel, how loud, how much of the time.

Link types 195 (frames with their checksum), 230 (without) and 283 (behind a TAP header that tells channel and level).
Only the frame's head is looked at, for the network's identifier; addresses and content are neither read nor kept.
"""

from __future__ import annotations

import struct
from collections import Counter
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

from even_static.core.errors import BadInput
from even_static.core.house.other_sources import PanHeard
from even_static.core.progress import OnProgress
from even_static.core.tables.zigbee import BYTE_US, PHY_HEAD_BYTES
from even_static.formats.capture.frames import Frames
from even_static.formats.capture.guarded import DAMAGE, Guarded

WITH_FCS, WITHOUT_FCS, TAP = 195, 230, 283
LINK_TYPES = (WITH_FCS, WITHOUT_FCS, TAP)
BROADCAST_PAN = 0xFFFF
# Networks of one capture: more than some ten are no neighbours, but noise that looks like frames.
MOST_PANS = 200
PROGRESS_EVERY_FRAMES = 20_000
# TAP fields, from memory of the published TLV list: 0 kind of checksum, 1 level in dBm, 3 channel and page.
_TAP_FCS, _TAP_RSS, _TAP_CHANNEL = 0, 1, 3
_BEACON, _DATA, _COMMAND = 0, 1, 3
_ADDRESS_BYTES = {0: 0, 2: 2, 3: 8}


@dataclass(slots=True)
class _Pan:
    frames: int = 0
    airtime_us: float = 0.0
    levels: list[float] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class PanSummary:
    """What a capture of 802.15.4 frames holds."""

    pans: list[PanHeard]
    frames: int
    acknowledgements: int
    bad_fcs: int
    malformed: int
    seconds: float
    notes: list[str]


def read_pans(
    path: Path,
    source: str,
    place_id: str,
    heard_at: str,
    channel: int | None = None,
    on_progress: OnProgress | None = None,
) -> PanSummary:
    """Sum up a capture of 802.15.4 frames by network and channel.

    ``channel``: the channel that it was taken on, where the file does not tell it (link types 195 and 230).
    ``heard_at``: when, where the file's clock tells nothing. BadInput when it is no such capture, or no channel is
    known.
    """
    with path.open("rb") as file:
        return read_pans_stream(file, source, place_id, heard_at, channel, on_progress)


def read_pans_stream(
    file: BinaryIO,
    source: str,
    place_id: str,
    heard_at: str,
    channel: int | None = None,
    on_progress: OnProgress | None = None,
) -> PanSummary:
    """:func:`read_pans` for an open binary file that can seek."""
    guarded = Guarded(file)
    frames_of = Frames(guarded)
    frames_of.require(LINK_TYPES, "IEEE 802.15.4 frames")
    untold = next((t for t in frames_of.link_types if t in (WITH_FCS, WITHOUT_FCS)), None)
    if untold is not None and channel is None:
        raise BadInput(
            "channel", f"must be given for link type {untold}, which does not carry it", "nothing", "11 to 26"
        )
    pans: dict[tuple[int, int], _Pan] = {}
    count: Counter[str] = Counter()
    first = last = 0.0
    damage = ""
    try:
        for link_type, seconds, frame in frames_of:
            if guarded.cut_short:
                break
            if link_type not in LINK_TYPES:
                continue
            count["frames"] += 1
            first = seconds if count["frames"] == 1 else min(first, seconds)
            last = max(last, seconds)
            _take(frame, link_type, channel, pans, count)
            if on_progress is not None and count["frames"] % PROGRESS_EVERY_FRAMES == 0:
                on_progress("reading frames", guarded.fraction)
    except DAMAGE as error:
        damage = str(error).split("\n")[0] or type(error).__name__
    seconds = max(last - first, 1.0)
    at = datetime.fromtimestamp(first, UTC).isoformat(timespec="seconds") if 1e8 < first < 7e9 else heard_at
    loudest = sorted(pans.items(), key=lambda item: -item[1].frames)
    left_out = loudest[MOST_PANS:]
    pans = dict(loudest[:MOST_PANS])
    found = [_heard(pan, on, p, place_id, at, source, seconds) for (pan, on), p in sorted(pans.items())]
    cut = f"the file ends in damage: {count['frames']} frames were read {damage}".strip()
    notes = [cut] if damage or guarded.cut_short else []
    notes += _notes(count, len(left_out))
    if not found:
        notes.append(f"no network announced its identifier in {count['frames']} frames")
    return PanSummary(
        pans=found,
        frames=count["frames"],
        acknowledgements=count["acks"],
        bad_fcs=count["bad"],
        malformed=count["malformed"],
        seconds=last - first,
        notes=notes,
    )


def _heard(pan: int, channel: int, p: _Pan, place_id: str, at: str, source: str, seconds: float) -> PanHeard:
    return PanHeard(
        came_from="capture",
        id=f"pan-{pan:04x}-{channel}-{place_id}"[:40],
        place_id=place_id,
        heard_at=at,
        source=source[:80],
        pan_id=f"0x{pan:04x}",
        channel=channel,
        frames=p.frames,
        airtime_fraction=min(p.airtime_us / 1e6 / seconds, 1.0),
        rssi_dbm=round(min(max(sorted(p.levels)[len(p.levels) // 2], -120.0), 0.0), 1) if p.levels else None,
    )


def _notes(count: Counter[str], left_out: int) -> list[str]:
    notes = []
    if count["bad"]:
        notes.append(f"{count['bad']} frames with a wrong checksum were left out")
    if count["malformed"]:
        notes.append(f"{count['malformed']} frames could not be read")
    if left_out:
        notes.append(f"the {MOST_PANS} networks with most frames were kept; {left_out} more are only counted")
    return notes


def _take(
    frame: bytes, link_type: int, told: int | None, pans: dict[tuple[int, int], _Pan], count: Counter[str]
) -> None:
    try:
        channel, level, checksum = told, None, 2 if link_type == WITH_FCS else 0
        if link_type == TAP:
            frame, channel, level, checksum = _tap(frame, told)
        if channel is None or not 11 <= channel <= 26:
            count["malformed"] += 1
            return
        body = frame[: len(frame) - checksum]
        if checksum == 2 and crc16(body) != int.from_bytes(frame[-2:], "little"):
            count["bad"] += 1
            return
        pan = pan_of(body)
    except (IndexError, struct.error):
        count["malformed"] += 1
        return
    if pan is None:
        count["acks"] += 1
        return
    sums = pans.setdefault((pan, channel), _Pan())
    sums.frames += 1
    sums.airtime_us += (PHY_HEAD_BYTES + len(body) + 2) * BYTE_US
    if level is not None:
        sums.levels.append(level)


def _tap(frame: bytes, told: int | None) -> tuple[bytes, int | None, float | None, int]:
    """A frame behind its TAP header: (frame, channel, level in dBm, bytes of checksum)."""
    version, _, length = struct.unpack_from("<BBH", frame)
    if version != 0 or length > len(frame) or length < 4:
        raise IndexError("no TAP header")
    at, channel, level, checksum = 4, told, None, 0
    while at + 4 <= length:
        kind, size = struct.unpack_from("<HH", frame, at)
        if kind == _TAP_FCS:
            checksum = {0: 0, 1: 2, 2: 4}.get(frame[at + 4], 0)
        elif kind == _TAP_RSS and size >= 4:
            level = float(struct.unpack_from("<f", frame, at + 4)[0])
            level = level if -120.0 <= level <= 20.0 else None
        elif kind == _TAP_CHANNEL and size >= 2:
            channel = int(struct.unpack_from("<H", frame, at + 4)[0])
        at += 4 + (size + 3) // 4 * 4
    return frame[length:], channel, level, checksum


def pan_of(body: bytes) -> int | None:
    """The network identifier that a MAC frame carries (IEEE 802.15.4-2020 7.2, from memory); None where it has none."""
    control = int.from_bytes(body[:2], "little")
    if len(body) < 3 or control & 7 not in (_BEACON, _DATA, _COMMAND):
        return None
    compressed, version = control >> 6 & 1, control >> 12 & 3
    target, source = _ADDRESS_BYTES.get(control >> 10 & 3), _ADDRESS_BYTES.get(control >> 14 & 3)
    if target is None or source is None:
        raise IndexError("reserved addressing")
    at = 2 if version == 2 and control >> 8 & 1 else 3
    found = None
    has_target_pan = target > 0 if version < 2 else _target_pan(target, source, compressed)
    if has_target_pan:
        found = int.from_bytes(_two(body, at), "little")
        at += 2
    at += target
    has_source_pan = source > 0 and not compressed and (version < 2 or not (has_target_pan and target == source == 8))
    if (found is None or found == BROADCAST_PAN) and has_source_pan:
        found = int.from_bytes(_two(body, at), "little")
    return None if found == BROADCAST_PAN else found


def _two(body: bytes, at: int) -> bytes:
    if at + 2 > len(body):
        raise IndexError("cut short")
    return body[at : at + 2]


def _target_pan(target: int, source: int, compressed: int) -> bool:
    """Whether a frame of version 2 carries the target's network: IEEE 802.15.4-2020 table 7-2, from memory."""
    if target and source:
        return not compressed if target == source == 8 else True
    if target:
        return not compressed
    return not source and bool(compressed)


def crc16(data: bytes) -> int:
    """The frame checksum of IEEE 802.15.4: polynomial x^16 + x^12 + x^5 + 1, least significant bit first, from 0."""
    crc = 0
    for byte in data:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ 0x8408 if crc & 1 else crc >> 1
    return crc
