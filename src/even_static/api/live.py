"""A capture that goes on: `even-static listen` says what it has heard so far, and the Walk screen shows it.

Nothing here is stored: the program that listens keeps its scan at the end.
"""

from __future__ import annotations

import time

from fastapi import APIRouter

from even_static.api.common import Serviced, place_name
from even_static.api.instruments import require_real
from even_static.api.live_bodies import LiveBody, LiveView

router = APIRouter(prefix="/api")
# A capture that said nothing for so long has ended without saying so.
SILENT_S = 5.0


@router.post("/calls/{call_id}/live", status_code=204)
def say_live(service: Serviced, call_id: int, body: LiveBody) -> None:
    """Say what a running capture has heard so far; only this computer and devices paired to the call can."""
    call = service.get(call_id)
    require_real(call)
    place_name(call.job, body.place_id)
    service.live[call_id] = (time.monotonic(), body)


@router.get("/calls/{call_id}/live")
def get_live(service: Serviced, call_id: int) -> LiveView:
    """The newest of the call's running capture; none where none was started."""
    service.get(call_id)
    at, body = service.live.get(call_id, (0.0, None))
    if body is None:
        return LiveView(going_on=False, ago_s=0.0, capture=None)
    ago = time.monotonic() - at
    return LiveView(going_on=not body.ended and ago < SILENT_S, ago_s=round(ago, 2), capture=body)
