"""What the router's and the hub's pages list: taken over, looked at, and taken as demand."""

from __future__ import annotations

import asyncio
from dataclasses import replace

from fastapi import APIRouter, Request

from even_static.api.bodies import SettingsBody
from even_static.api.common import CallReply, Serviced, body_text, call_body, settings_of
from even_static.api.kit_bodies import DemandBody
from even_static.api.practice import measuring
from even_static.core.errors import BadInput
from even_static.core.explain.heavy_users import TrafficView, traffic_view
from even_static.core.house.job import Job
from even_static.core.house.validate import validate_job
from even_static.core.survey.router_lists import ListsView, lists_view
from even_static.core.survey.traffic import carried, with_carried_demand
from even_static.formats.router_lists import Lists, read_lists
from even_static.now import now_text

router = APIRouter(prefix="/api")


@router.post("/calls/{call_id}/router-lists")
async def take_lists(service: Serviced, call_id: int, request: Request) -> CallReply:
    """Take over a client list, channel uses by hour or a hub's log (the request's body): recognised by the header."""
    service.get(call_id)
    text = await body_text(request)

    def take() -> CallReply:
        read = read_lists(service.get(call_id).job, text, now_text())

        def add(job: Job) -> Job:
            # Somebody may have removed a device in between: then its line is refused, and named.
            found = with_lists(job, read)
            validate_job(found)
            return found

        return call_body(service, service.amend(call_id, add, f"read {read.text}"[:200]))

    return await asyncio.to_thread(take)


def with_lists(job: Job, lists: Lists) -> Job:
    """The job with what was read behind what it has."""
    return replace(
        job,
        client_list=(*job.client_list, *lists.clients),
        channel_uses=(*job.channel_uses, *lists.uses),
        zigbee_reports=(*job.zigbee_reports, *lists.reports),
    )


@router.get("/calls/{call_id}/router-lists")
def get_lists(service: Serviced, call_id: int) -> ListsView:
    """What the call holds of its router's lists, where it came from, and whether it counts as the house is set."""
    return lists_view(service.get(call_id).job)


@router.post("/calls/{call_id}/practice-router")
def ask_practice_router(service: Serviced, call_id: int) -> CallReply:
    """What a practice house's router shows now: its client list and how busy its channels are."""
    return call_body(service, measuring.ask_router(service, call_id))


@router.delete("/calls/{call_id}/router-lists")
def forget_lists(service: Serviced, call_id: int) -> CallReply:
    """Forget all client lists and channel uses of a call."""

    def forget(job: Job) -> Job:
        return replace(job, client_list=(), channel_uses=())

    return call_body(service, service.amend(call_id, forget, "removed the router's lists"))


@router.post("/calls/{call_id}/traffic")
def get_traffic(service: Serviced, call_id: int, body: SettingsBody) -> TrafficView:
    """Who takes what of the traffic and the airtime, and what the house would be without."""
    call, settings = settings_of(service, call_id, body)
    return traffic_view(service.house(call), settings)


@router.post("/calls/{call_id}/traffic/demand")
def take_demand(service: Serviced, call_id: int, body: DemandBody) -> CallReply:
    """Take measured traffic as the devices' demand; BadInput where none of them has counters."""
    known = {c.device_id for c in carried(service.get(call_id).job)}
    asked = set(body.device_ids) or known
    if not asked & known:
        rule = "must name a device whose counters were read"
        raise BadInput("device_ids", rule, ", ".join(sorted(asked)) or "no counters", ", ".join(sorted(known)[:8]))

    def take(job: Job) -> Job:
        return with_carried_demand(job, asked)

    count = len(asked & known)
    return call_body(service, service.amend(call_id, take, f"took measured traffic as demand of {count} devices"))
