"""Reads a capture once, in bounded memory, and sums it up by network.

A network repeats the same elements thousands of times, so each distinct frame body is parsed once; of every other
frame only level and time are taken. Frames that are not beacons or probe responses are passed over unread.
"""

from __future__ import annotations

import struct
import zlib
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO, Protocol

from even_static.core.errors import BadInput
from even_static.core.house.readings import Reading, Scan
from even_static.core.house.sources import CameFrom
from even_static.core.progress import OnProgress
from even_static.core.spectrum.channels import band_of_mhz
from even_static.core.tables.bands import BANDS, Band
from even_static.formats.capture.elements import Announced, Load, announced
from even_static.formats.capture.frames import Frames
from even_static.formats.capture.guarded import DAMAGE, Guarded
from even_static.formats.capture.networks import MOST_NETWORKS, Network, most_heard
from even_static.formats.capture.other_headers import LINK_TYPES, to_radiotap
from even_static.formats.capture.radiotap import FLAG_BAD_FCS, FLAG_FCS, Layout, layout_of, presence_end

MOST_BODIES = 20_000
PROGRESS_EVERY_FRAMES = 20_000
_BEACON, _PROBE_RESPONSE = 0x80, 0x50


@dataclass(slots=True)
class Body:
    """A distinct frame body: its network, what it says, and how often it came."""

    network: Network
    announced: Announced
    load: Load | None
    count: int = 0


@dataclass(slots=True, kw_only=True)
class CaptureSummary:
    """What a capture holds: readings, and how much of it was read."""

    readings: list[Reading]
    frames: int
    used: int
    passed_over: int
    malformed: int
    bad_fcs: int
    bytes_read: int
    cut_short: bool
    damage: str | None
    impossible: int = 0
    """Networks that announce what their band does not have."""
    left_out: int = 0
    """The weakest networks, beyond what a scan holds."""
    weakest_dbm: float = 0.0
    """The level of the strongest of those."""
    of_others: dict[int, int] = field(default_factory=dict)
    """Frames of interfaces that catch something else, by link type."""

    @property
    def notes(self) -> list[str]:
        """What a person should know about the reading, in words; empty when all went well."""
        notes = []
        read = f"{self.frames} frames ({self.bytes_read} bytes) were read"
        if self.damage:
            notes.append(f"the file is damaged behind that: {read}; {self.damage}")
        elif self.cut_short:
            notes.append(f"the last packet is cut short and was left out: {read}")
        if self.malformed:
            notes.append(f"{self.malformed} frames have malformed elements: what stood before the fault was used")
        if self.bad_fcs:
            notes.append(f"{self.bad_fcs} frames with a wrong checksum were left out")
        if self.impossible:
            one = self.impossible == 1
            text = "network announces a channel or width that its band does not have and was"
            many = "networks announce channels or widths that their bands do not have and were"
            notes.append(f"{self.impossible} {text if one else many} left out")
        if self.left_out:
            rest = f"{self.left_out} more, at {self.weakest_dbm:g} dBm or weaker, are only counted"
            notes.append(f"the {MOST_NETWORKS} strongest networks were kept; {rest}")
        for link_type, count in self.of_others.items():
            notes.append(f"{count} frames of an interface with link type {link_type} were passed over")
        if self.used == 0:
            notes.append(f"no beacon or probe response is in it: {read}")
        return notes


class Listener(Protocol):
    """Somebody who wants to know what a running capture holds so far.

    ``due`` is asked after every frame, and ``say`` follows where it says yes. ``while_waiting`` is set by the reader:
    who provides the bytes calls it while none come, so that a silence does not hold back what was heard.
    """

    while_waiting: Callable[[], None]

    def due(self) -> bool: ...

    def say(self, summary: CaptureSummary) -> None: ...


def read_capture(path: Path, on_progress: OnProgress | None = None) -> CaptureSummary:
    """Sum up a pcap or pcapng file of 802.11 frames with radiotap headers.

    ``on_progress`` is called with the share of the file that was read. A cut or damaged file gives what stood before
    the fault, and says so in
    ``notes``; BadInput when it is no such capture at all.
    """
    with path.open("rb") as file:
        return read_capture_stream(file, on_progress)


def read_capture_stream(
    file: BinaryIO,
    on_progress: OnProgress | None = None,
    *,
    listener: Listener | None = None,
) -> CaptureSummary:
    """:func:`read_capture` for an open binary file, which may be a pipe that still grows.

    A ``listener`` gets what there is so far whenever it asks for it. Memory stays bounded by the number of networks,
    however long it goes on.
    """
    guarded = Guarded(file)
    frames_of = Frames(guarded)
    frames_of.require(LINK_TYPES, "802.11 frames")
    rewritten = {kind: to_radiotap(kind) for kind in LINK_TYPES}
    tally = _Tally()
    damage = None
    frames = 0

    def so_far() -> None:
        if listener is not None and listener.due():
            listener.say(_summary(tally, frames, guarded, None))

    if listener is not None:
        listener.while_waiting = so_far
    try:
        for link_type, seconds, frame in frames_of:
            if guarded.cut_short:
                break
            frames += 1
            if link_type in rewritten:
                tally.take_with(rewritten[link_type], seconds, frame)
            else:
                tally.of_others[link_type] += 1
            if on_progress is not None and frames % PROGRESS_EVERY_FRAMES == 0:
                on_progress("reading frames", guarded.fraction)
            if listener is not None:
                so_far()
    except DAMAGE as error:
        if not guarded.cut_short:
            damage = str(error).split("\n")[0] or type(error).__name__
    if on_progress is not None:
        on_progress("reading frames", guarded.fraction)
    return _summary(tally, frames, guarded, damage)


def _summary(tally: _Tally, frames: int, guarded: Guarded, damage: str | None) -> CaptureSummary:
    tally.fold()
    readings, impossible, left_out, weakest = most_heard(tally.networks.values())
    return CaptureSummary(
        readings=readings,
        frames=frames,
        used=tally.used,
        passed_over=tally.passed_over,
        malformed=tally.malformed,
        bad_fcs=tally.bad_fcs,
        bytes_read=guarded.bytes_read,
        cut_short=guarded.cut_short,
        damage=damage,
        impossible=impossible,
        left_out=left_out,
        weakest_dbm=weakest,
        of_others=dict(tally.of_others),
    )


def link_types_of(file: BinaryIO) -> list[int]:
    """The link types of an open capture file's interfaces; BadInput when it is none."""
    return Frames(Guarded(file)).link_types


class _Tally:
    """Sums over the frames of one capture."""

    def __init__(self) -> None:
        self.networks: dict[bytes, Network] = {}
        self.used = self.passed_over = self.malformed = self.bad_fcs = 0
        self.of_others: Counter[int] = Counter()
        self._layouts: dict[bytes, Layout] = {}
        self._bodies: dict[bytes, Body] = {}
        self._unflagged_fcs = 0

    def take_with(self, rewritten: Callable[[bytes], bytes] | None, seconds: float, frame: bytes) -> None:
        """Count one frame whose header is rewritten first, if it must be."""
        if rewritten is not None:
            try:
                frame = rewritten(frame)
            except (ValueError, struct.error):
                self.malformed += 1
                return
        self.take(seconds, frame)

    def take(self, seconds: float, frame: bytes) -> None:
        """Count one frame."""
        try:
            start = frame[2] | frame[3] << 8
            kind = frame[start]
            if kind != _BEACON and kind != _PROBE_RESPONSE:
                self.passed_over += 1
                return
            # Length and presence words fix where the fields stand.
            key = frame[2:8] if frame[7] < 0x80 else frame[2 : presence_end(frame)]
            layout = self._layouts.get(key)
            if layout is None:
                layout = self._layouts[key] = layout_of(frame)
            end = len(frame)
            at = layout.flags
            if at >= 0:
                flags = frame[at]
                if flags & FLAG_BAD_FCS:
                    self.bad_fcs += 1
                    return
                if flags & FLAG_FCS:
                    end -= 4
            else:
                end -= self._unflagged_fcs
            at = layout.signal
            level = frame[at] if at >= 0 else self._antennas(layout, frame)
        except (IndexError, ValueError):
            self.malformed += 1
            return
        # Frame header, then timestamp (8), interval (2), capability (2), elements; the first two change every time.
        body_key = frame[start + 16 : start + 22] + frame[start + 32 : end]
        body = self._bodies.get(body_key)
        if body is None:
            body = self._parse(body_key, frame, start, end, layout)
            if body is None:
                return
        network = body.network
        body.count += 1
        if level >= 0:
            levels = network.levels
            levels[level] = levels.get(level, 0) + 1
        if not network.first_s or seconds < network.first_s:
            network.first_s = seconds
        if seconds > network.last_s:
            network.last_s = seconds
        self.used += 1

    @staticmethod
    def _antennas(layout: Layout, frame: bytes) -> int:
        """Strongest antenna as an unsigned byte; -1 when the capture has no level."""
        levels: list[int] = [frame[a] for a in layout.signals if frame[a]]
        signed = max((b if b < 128 else b - 256 for b in levels), default=None)
        return -1 if signed is None else signed & 255

    def _parse(self, key: bytes, frame: bytes, start: int, end: int, layout: Layout) -> Body | None:
        header = start + (28 if frame[start + 1] & 0x80 else 24)
        if end < header + 12:
            self.malformed += 1
            return None
        if layout.flags < 0 and not self._unflagged_fcs and end >= header + 16:
            checksum = zlib.crc32(frame[start : end - 4]).to_bytes(4, "little")
            if checksum == frame[end - 4 : end]:
                self._unflagged_fcs = 4
                end -= 4
        frequency = None
        band: Band | None = None
        if layout.frequency >= 0:
            frequency = frame[layout.frequency] | frame[layout.frequency + 1] << 8
            try:
                band = band_of_mhz(frequency)
            except BadInput:
                frequency = None
        capability = int.from_bytes(frame[header + 10 : header + 12], "little")
        said, load = announced(capability, frame[header + 12 : end], frequency, band)
        if said.malformed:
            self.malformed += 1
        bssid = frame[start + 16 : start + 22]
        network = self.networks.get(bssid)
        if network is None:
            network = self.networks[bssid] = Network(bssid=bssid)
        if len(self._bodies) >= MOST_BODIES:
            self.fold()
        body = self._bodies[key] = Body(network, said, load)
        return body

    def fold(self) -> None:
        """Move the counts of the bodies into their networks and forget the bodies."""
        for body in self._bodies.values():
            body.network.announcements[body.announced] += body.count
            if body.load is not None:
                body.network.loads[body.load] += body.count
        self._bodies.clear()


def scan_from_capture(
    summary: CaptureSummary,
    scan_id: str,
    place_id: str,
    source: str,
    heard_at: str | None = None,
    *,
    came_from: CameFrom = "capture",
) -> Scan:
    """The capture as one scan at a place; it began with its first frame unless told. BadInput when it is empty."""
    times = [r.first_heard_at for r in summary.readings if r.first_heard_at]
    if not summary.readings:
        raise BadInput("capture", "must hold a beacon or probe response", "; ".join(summary.notes), "")
    bands = tuple(b for b in BANDS if any(r.band == b for r in summary.readings))
    return Scan(
        came_from=came_from,
        id=scan_id,
        place_id=place_id,
        heard_at=heard_at or min(times),
        source=source,
        bands=bands,
        readings=tuple(summary.readings),
    )
