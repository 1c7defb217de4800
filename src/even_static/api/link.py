"""The link test between a browser and this computer, the verdict on line and Wi-Fi, and sharing."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import StreamingResponse
from starlette.requests import ClientDisconnect

from even_static.api.common import CallReply, Serviced, call_body, place_name
from even_static.api.link_bodies import LinkTestBody, LinkView, PairingBody, ShareView, WiredBody
from even_static.api.share import COOKIE, Share, is_local
from even_static.core.errors import BadInput, NotFound
from even_static.core.house.job import Job
from even_static.core.house.readings import SpeedTest
from even_static.core.survey.line_or_wifi import line_or_wifi
from even_static.core.survey.link_statistics import run_figures

router = APIRouter(prefix="/api")
MOST_BYTES = 512 << 20
CHUNK = os.urandom(64 << 10)


@router.get("/link/ping", status_code=204)
def ping() -> Response:
    """Nothing, at once: what its way takes is the latency."""
    return Response(status_code=204)


@router.get("/link/down")
def send_down(size: Annotated[int, Query(ge=1, le=MOST_BYTES)] = MOST_BYTES) -> StreamingResponse:
    """Random bytes, which nothing on the way can make smaller."""

    def chunks() -> Iterator[bytes]:
        left = size
        while left > 0:
            yield CHUNK[:left]
            left -= len(CHUNK)

    return StreamingResponse(chunks(), media_type="application/octet-stream")


@router.post("/link/up")
async def take_up(request: Request) -> int:
    """Takes bytes in and forgets them; tells how many came."""
    size = 0
    try:
        async for chunk in request.stream():
            size += len(chunk)
            if size > MOST_BYTES:
                raise BadInput("body", "must not be larger than 512 MiB", "more", "a shorter run")
    except ClientDisconnect:
        # A run ends when its time is over: the browser breaks the upload off, and nobody reads the answer.
        pass
    return size


@router.get("/calls/{call_id}/link")
def get_link(service: Serviced, request: Request, call_id: int) -> LinkView:
    """Is it the line or the Wi-Fi."""
    share: Share | None = request.app.state.share
    sharing = share is not None and share.open
    return LinkView(line_or_wifi(service.get(call_id).job), is_local(request), sharing)


@router.post("/calls/{call_id}/link-test")
def keep_link_test(service: Serviced, request: Request, call_id: int, body: LinkTestBody) -> CallReply:
    """Keep a link test from its raw runs; sent again under the same key, it is kept once."""
    name = place_name(service.get(call_id).job, body.place_id)
    figures = []
    for i, run in enumerate(body.runs):
        try:
            figures.append(run_figures(run))
        except BadInput as error:
            raise BadInput(f"runs[{i}].{error.field}", error.rule, error.received, error.accepted) from None
    test = SpeedTest(
        came_from="link test",
        place_id=body.place_id,
        tested_at=body.tested_at,
        down_mbps=tuple(round(f.down_mbps, 2) for f in figures),
        up_mbps=tuple(round(f.up_mbps, 2) for f in figures),
        latency_ms=tuple(round(f.loaded_ms, 2) for f in figures),
        idle_ms=tuple(round(f.idle_ms, 2) for f in figures),
        jitter_ms=tuple(round(f.jitter_ms, 2) for f in figures),
        stalls=tuple(f.stalls for f in figures),
        longest_stall_ms=tuple(round(f.longest_stall_ms, 1) for f in figures),
        over="this computer itself" if is_local(request) else "wi-fi",
        reach="this computer",
    )

    def add(job: Job) -> Job:
        return replace(job, speed_tests=(*job.speed_tests, test))

    return call_body(service, service.amend(call_id, add, f"tested the link at {name}", delivery_key=body.key))


@router.post("/calls/{call_id}/wired")
def write_wired(service: Serviced, call_id: int, body: WiredBody) -> CallReply:
    """Write down the wired figure at the gateway and what the subscription promises."""
    place_name(service.get(call_id).job, body.place_id)
    if bool(body.down_mbps) != bool(body.up_mbps):
        raise BadInput("up_mbps", "must be given together with down_mbps", "one of them", "both or neither")

    def add(job: Job) -> Job:
        tests = job.speed_tests
        if body.down_mbps:
            down, up = tuple(body.down_mbps), tuple(body.up_mbps)
            tests = (
                *tests,
                SpeedTest(
                    came_from="typed",
                    place_id=body.place_id,
                    tested_at=body.tested_at,
                    down_mbps=down,
                    up_mbps=up,
                    over="cable",
                    reach="the internet",
                ),
            )
        return replace(job, speed_tests=tests, subscription=body.subscription or job.subscription)

    return call_body(service, service.amend(call_id, add, "wrote down the wired figure"))


# -- sharing -----------------------------------------------------------------------------------------------------


def _share_view(request: Request, call_id: int | None) -> ShareView:
    share: Share | None = request.app.state.share
    if share is None or not share.open:
        return ShareView(shared=False, addresses=[], phones=[], code=None, may=None, you=None)
    if not is_local(request):
        return ShareView(
            shared=True, addresses=[], phones=[], code=None, may=None, you=share.phone(request.cookies.get(COOKIE))
        )
    pairing = share.pairing(call_id) if call_id is not None else None
    code, may = (pairing.code, pairing.may) if pairing is not None else (None, None)
    return ShareView(shared=True, addresses=share.addresses, phones=share.phones, code=code, may=may, you=None)


@router.get("/share")
def get_share(request: Request, call_id: int | None = None) -> ShareView:
    """Where phones reach the application, and the code that is shown for a call; only this computer is told."""
    return _share_view(request, call_id)


@router.post("/calls/{call_id}/pairing")
def offer_pairing(service: Serviced, request: Request, call_id: int, body: PairingBody) -> ShareView:
    """Show a code that pairs phones to a call; codes of other calls are no longer good."""
    service.get(call_id)
    share: Share | None = request.app.state.share
    if share is None or not share.open:
        raise BadInput("share", "must be started first", "not shared", "even-static serve --share")
    share.offer(call_id, body.may)
    return _share_view(request, call_id)


@router.delete("/calls/{call_id}/pairing")
def end_pairing(service: Serviced, request: Request, call_id: int) -> ShareView:
    """Let the phones of a call out, and show its code no more."""
    service.get(call_id)
    share: Share | None = request.app.state.share
    if share is not None:
        share.withdraw(call_id)
    return _share_view(request, call_id)


@router.delete("/share")
def end_share(request: Request) -> ShareView:
    """Stop sharing now."""
    if not is_local(request):
        raise NotFound("share", "must be ended on the computer that shares", "another client", "")
    share: Share | None = request.app.state.share
    if share is not None:
        share.end()
    return _share_view(request, None)
