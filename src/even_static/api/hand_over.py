"""Handing over: the report on screen and as PDF, and files without neighbours' names."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response
from fastapi.responses import PlainTextResponse

from even_static.api.common import Serviced, download, file_stem
from even_static.core.house.masking import masked
from even_static.core.report.blocks import Report
from even_static.core.report.report import report
from even_static.formats.as_read import LONGEST_TAG, USUAL
from even_static.formats.job_file import write_job
from even_static.formats.readings_csv import write_readings
from even_static.now import now_text

router = APIRouter(prefix="/api")


@router.get("/calls/{call_id}/report")
def get_report(service: Serviced, call_id: int) -> Report:
    """The report for the household and the technician's annex; neighbours go by letters."""
    return report(service.get(call_id).job, now_text())


@router.get("/calls/{call_id}/report.pdf", response_class=Response)
def get_report_pdf(
    service: Serviced,
    call_id: int,
    language: Annotated[str, Query(max_length=LONGEST_TAG, description="BCP 47, such as de-AT")] = USUAL,
) -> Response:
    """The report as PDF, its numbers and dates as readers of a language write them."""
    from even_static.formats.report_pdf import write_report

    name = f'attachment; filename="{file_stem(service, call_id)}-report.pdf"'
    data = write_report(report(service.get(call_id).job, now_text()), language)
    return Response(data, media_type="application/pdf", headers={"Content-Disposition": name})


@router.get("/calls/{call_id}/hand-over.json", response_class=PlainTextResponse)
def hand_over_job(service: Serviced, call_id: int) -> Response:
    """The call as a job file that may be handed out: no neighbour's name or address, no photographs."""
    text = write_job(masked(service.get(call_id).job))
    return download(text, "application/json", f"{file_stem(service, call_id)}-to-hand-out.json")


@router.get("/calls/{call_id}/hand-over.csv", response_class=PlainTextResponse)
def hand_over_readings(service: Serviced, call_id: int) -> Response:
    """All readings as CSV that may be handed out."""
    text = write_readings(masked(service.get(call_id).job).scans)
    return download(text, "text/csv", f"{file_stem(service, call_id)}-readings-to-hand-out.csv")
