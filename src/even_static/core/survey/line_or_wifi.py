"""Is it the line or the Wi-Fi? Answered with the numbers that were measured, room by room."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from even_static.core.house.job import Job
from even_static.core.house.kit import Device
from even_static.core.house.readings import Over, Reach, SpeedTest
from even_static.core.survey.link_statistics import Spread, spread_of
from even_static.core.tables.speed import (
    CAMERA_LEAST_MBPS,
    CAMERA_WANTED_MBPS,
    FELT_LATENCY_MS,
    LINE_FRACTION,
    ROOM_FRACTION,
)

Narrow = Literal["the line", "the Wi-Fi", "neither", "not known yet"]
CameraState = Literal["good", "at its least", "too slow", "not tested"]


@dataclass(frozen=True, slots=True, kw_only=True)
class RoomLink:
    """What was measured in a room, newest test of each kind; ``narrow`` is what holds it back."""

    place_id: str
    tested_at: str | None
    reach: Reach | None
    down_mbps: Spread | None
    up_mbps: Spread | None
    idle_ms: float | None
    loaded_ms: float | None
    jitter_ms: float | None
    stalls: int | None
    narrow: Narrow
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class CameraSpot:
    """A device that uploads steadily, judged by the upload measured where it hangs."""

    device_id: str
    name: str
    place_id: str
    up_mbps: Spread | None
    state: CameraState
    text: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LineVerdict:
    """The line beside what is paid for, each room beside the line, and the camera spots."""

    wired_down_mbps: Spread | None
    wired_up_mbps: Spread | None
    paid_down_mbps: float | None
    paid_up_mbps: float | None
    line: Narrow
    text: str
    rooms: list[RoomLink]
    cameras: list[CameraSpot]


def line_or_wifi(job: Job) -> LineVerdict:
    """The verdict from the newest tests; what is missing is named, never guessed."""
    wired = _newest(job, "cable", "the internet")
    down = spread_of(wired.down_mbps) if wired else None
    up = spread_of(wired.up_mbps) if wired else None
    paid = job.subscription
    line: Narrow = "not known yet"
    if down is None:
        text = "Not known yet: test with a cable at the gateway, against the internet, and write the figure down."
    elif paid is None:
        text = f"The wire brings {down.median:.0f} Mb/s; write down what the subscription promises to judge it."
    elif down.median < LINE_FRACTION * paid.down_mbps:
        line = "the line"
        text = f"The line: the wire itself brings {down.median:.0f} of {paid.down_mbps:.0f} Mb/s. Call the provider."
    else:
        line = "neither"
        text = f"Not the line: the wire brings {down.median:.0f} of {paid.down_mbps:.0f} Mb/s."
    rooms = [_room(job, p.id, down) for p in job.places]
    rooms = [r for r in rooms if r.down_mbps is not None]
    slow = [r for r in rooms if r.narrow == "the Wi-Fi"]
    if line == "neither" and slow:
        line = "the Wi-Fi"
        text += f" The Wi-Fi is narrower in {len(slow)} of {len(rooms)} tested rooms."
    return LineVerdict(
        wired_down_mbps=down,
        wired_up_mbps=up,
        paid_down_mbps=paid.down_mbps if paid else None,
        paid_up_mbps=paid.up_mbps if paid else None,
        line=line,
        text=text,
        rooms=rooms,
        cameras=[_camera(job, d) for d in job.devices if is_camera(d)],
    )


def is_camera(device: Device) -> bool:
    """Whether a device uploads steadily and more than it takes in, as cameras and video bells do."""
    return device.demand_up_mbps >= CAMERA_LEAST_MBPS and device.demand_up_mbps > device.demand_down_mbps


def _newest(job: Job, over: Over, reach: Reach | None, place_id: str | None = None) -> SpeedTest | None:
    found = [
        t
        for t in job.speed_tests
        if t.over == over
        and (reach is None or t.reach == reach)
        and (place_id is None or t.place_id == place_id)
        and t.down_mbps
    ]
    # Of tests at the same time the one written down last counts.
    return max(reversed(found), key=lambda t: datetime.fromisoformat(t.tested_at), default=None)


def _room(job: Job, place_id: str, wired: Spread | None) -> RoomLink:
    # Against this computer measures the house alone; against the internet the line counts too.
    test = _newest(job, "wi-fi", "this computer", place_id) or _newest(job, "wi-fi", "the internet", place_id)
    if test is None:
        return RoomLink(
            place_id=place_id,
            tested_at=None,
            reach=None,
            down_mbps=None,
            up_mbps=None,
            idle_ms=None,
            loaded_ms=None,
            jitter_ms=None,
            stalls=None,
            narrow="not known yet",
            text="not tested",
        )
    down, up = spread_of(test.down_mbps), spread_of(test.up_mbps)
    assert down is not None
    idle, loaded, jitter = (spread_of(v) for v in (test.idle_ms, test.latency_ms, test.jitter_ms))
    narrow: Narrow = "not known yet"
    if wired is None:
        text = f"{down.median:.0f} Mb/s"
    elif down.median < ROOM_FRACTION * wired.median:
        narrow = "the Wi-Fi"
        text = f"the Wi-Fi: {down.median:.0f} Mb/s where the wire brings {wired.median:.0f}"
    else:
        narrow = "neither"
        text = f"the Wi-Fi carries {down.median:.0f} Mb/s, as much as the wire brings ({wired.median:.0f})"
        if test.reach == "this computer":
            narrow = "the line"
            text += ": if this room is slow, it is beyond the Wi-Fi"
    if loaded is not None and loaded.median > FELT_LATENCY_MS:
        text += f"; {loaded.median:.0f} ms under load is felt in calls"
    if any(test.stalls):
        text += f"; stalled {sum(test.stalls)} times, up to {max(test.longest_stall_ms, default=0) / 1000:.1f} s"
    return RoomLink(
        place_id=place_id,
        tested_at=test.tested_at,
        reach=test.reach,
        down_mbps=down,
        up_mbps=up,
        idle_ms=idle.median if idle else None,
        loaded_ms=loaded.median if loaded else None,
        jitter_ms=jitter.median if jitter else None,
        stalls=sum(test.stalls) if test.stalls else None,
        narrow=narrow,
        text=text,
    )


def _camera(job: Job, device: Device) -> CameraSpot:
    test = _newest(job, "wi-fi", "this computer", device.place_id) or _newest(
        job, "wi-fi", "the internet", device.place_id
    )
    up = spread_of(test.up_mbps) if test else None
    if up is None:
        text = "hold a phone where it hangs, on the network that it uses, and test"
        return CameraSpot(
            device_id=device.id, name=device.name, place_id=device.place_id, up_mbps=None, state="not tested", text=text
        )
    # The worst run counts: a camera uploads all the time.
    state: CameraState = (
        "good" if up.lowest >= CAMERA_WANTED_MBPS else "at its least" if up.lowest >= CAMERA_LEAST_MBPS else "too slow"
    )
    text = f"{up.lowest:.1f} to {up.highest:.1f} Mb/s up; {CAMERA_WANTED_MBPS:g} wanted, {CAMERA_LEAST_MBPS:g} least"
    return CameraSpot(
        device_id=device.id, name=device.name, place_id=device.place_id, up_mbps=up, state=state, text=text
    )
