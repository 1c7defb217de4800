"""What the router lists: the newest of it, and whether it counts under the settings that the house has now."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from even_static.core.house.job import Job
from even_static.core.house.lists import ClientSeen
from even_static.core.house.sources import IN_WORDS


def since_set(job: Job) -> datetime | None:
    """When the present settings were set; None where they always were."""
    return max((datetime.fromisoformat(c.changed_at) for c in job.changes), default=None)


@dataclass(frozen=True, slots=True, kw_only=True)
class ListedLine:
    """A device's newest line. ``counts``: the house is still set as it was when the line was read."""

    seen: ClientSeen
    source: str
    """Where it came from, in words."""
    counts: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class ListsView:
    """What a call holds of its router's lists: the newest line of each device in the order of the kit, uses of channels
    as shares of each second, how many of them count under the present settings, and the fullest of those."""

    clients: tuple[ListedLine, ...]
    uses: int
    uses_counting: int
    fullest_fraction: float | None


def lists_view(job: Job) -> ListsView:
    """All of it."""
    since = since_set(job)
    newest = _newest(job, None)
    uses = [u for u in job.channel_uses if _counts(u.seen_at, since)]
    return ListsView(
        clients=tuple(
            ListedLine(
                seen=newest[d.id],
                source=IN_WORDS[newest[d.id].came_from],
                counts=_counts(newest[d.id].listed_at, since),
            )
            for d in job.devices
            if d.id in newest
        ),
        uses=len(job.channel_uses),
        uses_counting=len(uses),
        fullest_fraction=max((u.busy_fraction for u in uses), default=None),
    )


def newest_lines(job: Job) -> list[ClientSeen]:
    """The newest line of each device on the client list under the present settings."""
    return list(_newest(job, since_set(job)).values())


def _newest(job: Job, since: datetime | None) -> dict[str, ClientSeen]:
    found = dict[str, ClientSeen]()
    for seen in sorted(job.client_list, key=lambda c: datetime.fromisoformat(c.listed_at)):
        if _counts(seen.listed_at, since):
            found[seen.device_id] = seen
    return found


def _counts(at: str, since: datetime | None) -> bool:
    return since is None or datetime.fromisoformat(at) >= since
