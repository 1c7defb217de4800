"""The newest of what the router lists under the settings that the house has now."""

from __future__ import annotations

from datetime import datetime

from even_static.core.house.job import Job
from even_static.core.house.lists import ClientSeen


def since_set(job: Job) -> datetime | None:
    """When the present settings were set; None where they always were."""
    return max((datetime.fromisoformat(c.changed_at) for c in job.changes), default=None)


def newest_lines(job: Job) -> list[ClientSeen]:
    """The newest line of each device on the client list under the present settings."""
    since, found = since_set(job), dict[str, ClientSeen]()
    for seen in sorted(job.client_list, key=lambda c: datetime.fromisoformat(c.listed_at)):
        if since is None or datetime.fromisoformat(seen.listed_at) >= since:
            found[seen.device_id] = seen
    return list(found.values())
