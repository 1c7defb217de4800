"""The customer's questions: nothing is answered that nobody measured, computed or typed; figures are the core's own."""

from __future__ import annotations

from dataclasses import replace

import pytest

from even_static.core.explain.ssids import compare_ssid_plans
from even_static.core.house.changes import Change
from even_static.core.house.complaint import Complaint
from even_static.core.house.job import Job, Subscription
from even_static.core.house.lists import ClientSeen
from even_static.core.house.readings import SpeedTest
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.report.answers import answers
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import walked

EMPTY = Job(title="A call", country="NL")
AT = "2026-03-02T14:00:00+01:00"


def asked(job: Job):
    return {a.question.split("?")[0]: a for a in answers(House(job), job.settings)}


@pytest.fixture(scope="module")
def house() -> Job:
    drawn = drawn_house(3201)
    return walked(TrueHouse(drawn.job, drawn.neighbours, 3201), lists=False)


def test_an_empty_call_knows_nothing_and_says_what_is_missing():
    for answer in answers(House(EMPTY), EMPTY.settings):
        assert answer.how in ("not known", "assumed")
        assert answer.how == "assumed" or not answer.figure
        assert answer.text


def test_a_house_that_nobody_scanned_is_not_judged(house: Job):
    for answer in answers(House(replace(house, scans=())), house.settings):
        if answer.question.startswith(("Which room", "One network", "Is another", "Would a camera")):
            assert (answer.how, answer.figure) == ("not known", "")


def test_the_line_is_judged_by_a_cable(house: Job):
    test = SpeedTest(
        place_id=house.places[0].id, tested_at=AT, down_mbps=(20.0, 22.0, 21.0), up_mbps=(5.0,), over="cable"
    )
    job = replace(house, speed_tests=(test,), subscription=Subscription(100.0, 20.0))
    line = asked(job)["Is it the line or the Wi-Fi"]
    assert (line.figure, line.how) == ("21 of 100 Mb/s by cable", "measured")
    assert "Call the provider" in line.text


def test_rooms_names_and_nodes_are_what_the_core_says(house: Job):
    found, figures = asked(house), evaluate(House(house), house.settings)
    devices = {d.id: d for d in house.devices}
    rooms = {devices[p.subject_id].place_id for p in figures.problem_list if p.subject_id in devices}
    assert found["Which room needs what"].figure.startswith(f"{len(rooms)} of ")
    best = next(p for p in compare_ssid_plans(House(house), house.settings) if p.recommended)
    assert found["One network name or several"].figure == f"{best.evaluation.problems} problems"
    weak = [d for d in figures.devices if (d.rssi_dbm is not None and d.rssi_dbm < -65) or d.radio_id is None]
    assert found["Is another node worth its money"].figure.startswith(f"{len(weak)} of {len(figures.devices)}")


def test_what_the_model_works_out_is_never_called_measured(house: Job):
    found = asked(house)
    assert found["Which room needs what"].how == "predicted"
    assert found["One network name or several"].how == "predicted"
    assert found["Which device or neighbour takes the airtime"].how in ("predicted", "assumed")
    # Levels are measured only where somebody scanned everywhere that a device is used.
    assert found["Is another node worth its money"].how == "measured"
    device = house.devices[0]
    part = replace(house, scans=tuple(s for s in house.scans if s.place_id != device.place_id))
    assert asked(part)["Is another node worth its money"].how == "predicted"


def test_a_camera_is_tried_at_the_door_before_it_is_bought(house: Job):
    doors = replace(house, places=tuple(replace(p, outdoors=n == 0) for n, p in enumerate(house.places)))
    (camera,) = [a for a in answers(House(doors), doors.settings) if a.question.startswith("Would a camera")]
    assert doors.places[0].name in camera.question
    assert camera.figure.endswith("dBm") or "nothing reaches" in camera.text
    assert len(doors.devices) == len(house.devices)
    # Where nothing reaches it would not work.
    away = replace(doors, scans=tuple(replace(s, readings=()) for s in doors.scans))
    if House(away).levels_known:
        assert not any("Yes" in a.text for a in answers(House(away), away.settings) if "camera" in a.question)


def test_who_takes_the_airtime_is_counted_where_counters_were_read(house: Job):
    seen = ClientSeen(
        device_id=house.devices[0].id, listed_at=AT, down_mb=5000.0, up_mb=100.0, counted_h=24.0, came_from="typed"
    )
    counted = asked(replace(house, client_list=(seen,)))["Which device or neighbour takes the airtime"]
    assert (counted.how, counted.figure) == ("measured", "100 % of the traffic")
    assert counted.text.lower().startswith(house.devices[0].name.lower())
    neighbours = asked(house)["Which device or neighbour takes the airtime"]
    most = max(r.busy_fraction for r in evaluate(House(house), house.settings).radios)
    assert neighbours.figure == f"{most:.0%} by others"


def test_solved_takes_longer_the_rarer_it_was(house: Job):
    def days(per_week: float | None) -> str:
        said = Complaint(id="c", what="a device drops off and comes back", per_week=per_week)
        return asked(replace(house, complaints=(said,)))["How long until we call it solved"].figure

    # 3 over the rate in weeks (a Poisson process shows nothing with 5 %): 3 / 0.5 weeks is 42 days; two weeks at least.
    assert days(7.0) == "14 days"
    assert days(0.5) == "42 days"
    assert days(None) == "21 days"
    changed = replace(house, changes=(Change(AT, house.settings, house.settings, "a plan"),))
    assert asked(changed)["How long until we call it solved"].figure == "21 days"
