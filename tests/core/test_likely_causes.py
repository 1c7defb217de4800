"""From complaints to ranked likely causes: shares that add up, evidence with the core's numbers, answers that
re-rank."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput, NotFound
from even_static.core.explain.backhaul import tree
from even_static.core.explain.causes import USUAL, likely_causes
from even_static.core.explain.reasons import ZigbeeInterferer
from even_static.core.house.complaint import CauseAnswer, Complaint
from even_static.core.house.entries import without_entry
from even_static.core.house.job import Subscription
from even_static.core.house.readings import SpeedTest
from even_static.core.house.settings import SsidPlan
from even_static.core.house.validate import validate_job
from even_static.core.model.prepared_house import House
from even_static.core.tables.causes import RULED_OUT, SHOWN
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row

NOW = "2026-03-02T20:00:00Z"
CALLS = Complaint(id="c", what="calls break up", place_id="p1", device_id=None, when="in the evening")
MESH = Complaint(id="m", what="a sensor or plug goes missing")
DROPS = Complaint(id="d", what="a device drops off and comes back", place_id=None, device_id="d0")


def shares(job):
    return {s.kind: s for s in likely_causes(House(job), job.settings).found}


@settings(max_examples=20)
@given(st.integers(0, 2000), st.sampled_from([(CALLS,), (MESH,), (DROPS,), (CALLS, MESH)]))
def test_shares_add_up_and_are_what_was_usual_times_the_evidence(seed, complaints):
    job = replace(random_house(seed, nodes=2, neighbours=12, devices=6), complaints=complaints)
    found = likely_causes(House(job), job.settings).found
    assert sum(s.share for s in found) == pytest.approx(1.0)
    assert sum(s.usual for s in found) <= 1.0 + 1e-9
    assert [s.share for s in found] == sorted((s.share for s in found), reverse=True)
    if len(complaints) == 1:
        weight = {s.kind: s.usual for s in found}
        for s in found:
            for e in s.evidence:
                weight[s.kind] *= e.factor
        total = sum(weight.values())
        for s in found:
            assert s.share == pytest.approx(weight[s.kind] / total)
    else:
        alone = [likely_causes(House(job), job.settings, c.id).found for c in complaints]
        for s in found:
            each = [sum(o.share for o in others if o.kind == s.kind) for others in alone]
            assert s.share == pytest.approx(sum(each) / len(each))
    # The line is tested first; then what promises most for its minutes.
    worth = [s for s in sorted(found, key=lambda s: s.order) if s.order and s.kind != "the line"]
    promise = [s.share / s.test.minutes for s in worth]
    assert promise == pytest.approx(sorted(promise, reverse=True))
    if any(s.kind == "the line" for s in found):
        assert next(s for s in found if s.kind == "the line").order == 1


def test_what_cannot_be_behind_a_complaint_is_not_on_the_list():
    mesh = shares(replace(random_house(3, nodes=1), complaints=(MESH,)))
    assert "the line" not in mesh
    assert "throttled network" not in mesh
    wifi = shares(replace(random_house(3, nodes=1, zigbee_devices=0), complaints=(CALLS,)))
    assert "Zigbee under Wi-Fi" not in wifi
    assert "hub too close" not in wifi
    assert "sticky client" not in wifi  # one node only
    assert likely_causes(House(random_house(3)), random_house(3).settings).text == "write down a complaint first"


def test_a_slow_line_is_known_by_its_numbers():
    """Common practice: by cable at the gateway against what is paid for."""
    house = random_house(4, nodes=1, neighbours=2, devices=3)
    job = replace(house, complaints=(Complaint(id="e", what="everything is slow"),))
    job = replace(job, subscription=Subscription(100.0, 20.0))
    test = SpeedTest(place_id="p0", tested_at=NOW, down_mbps=(31.0, 30.0, 29.0), up_mbps=(9.0, 9.0, 9.0), over="cable")
    found, usual = (
        shares(replace(job, speed_tests=(replace(test, down_mbps=tuple(k * d for d in test.down_mbps)),)))
        for k in (1.0, 3.2)
    )
    slow, fine = found["the line"], usual["the line"]
    assert slow.evidence[0].text == "by cable 30 of 100 Mb/s that are paid for"
    assert slow.share > 0.7
    # What is left of it is that nobody measured at another hour: a tenth, behind others.
    assert fine.share < slow.share / 10
    assert sum(s.share > fine.share for s in usual.values()) >= 3


def test_an_answer_ranks_the_list_anew():
    job = replace(random_house(6, nodes=2, neighbours=20, devices=8), complaints=(CALLS,))
    before = shares(job)
    first = max((k for k in before if k != "the line"), key=lambda k: before[k].share)
    ruled_out = replace(job, answers=(CauseAnswer(cause=first, shows="ruled out", answered_at=NOW),))
    after = shares(ruled_out)
    assert after[first].share < before[first].share * 0.2
    assert after[first].order == 0
    others = [k for k in before if k != first and before[k].share > 0]
    ratios = {after[k].share / before[k].share for k in others}
    assert max(ratios) == pytest.approx(min(ratios))
    shown = replace(job, answers=(CauseAnswer(cause=first, shows="confirmed", answered_at=NOW),))
    assert likely_causes(House(shown), job.settings).text == f"{first} is shown; fix that first, then ask again"
    odds = before[first].share / (1 - before[first].share)
    assert shares(shown)[first].share == pytest.approx(odds * SHOWN / (1 + odds * SHOWN))
    assert after[first].share == pytest.approx(odds * RULED_OUT / (1 + odds * RULED_OUT))


def test_the_answer_for_one_complaint_is_not_the_cause_of_all_others():
    """What was tested for the calls in one room says nothing of the sensor in another; what was tested for all does."""
    job = replace(random_house(6, nodes=2, neighbours=20, devices=8, zigbee_devices=3), complaints=(CALLS, MESH))
    house = House(job)
    alone = {c: likely_causes(house, job.settings, c).found for c in ("c", "m")}
    common = next(s.kind for s in alone["c"] if any(o.kind == s.kind for o in alone["m"]))
    answer = CauseAnswer(cause=common, shows="confirmed", answered_at=NOW, complaint_id="c")
    told = House(replace(job, answers=(answer,)))
    assert likely_causes(told, job.settings, "m").found == alone["m"]
    mine = {s.kind: s for s in likely_causes(told, job.settings, "c").found}
    assert mine[common].answer == "confirmed"
    assert mine[common].share > 0.5
    both = likely_causes(told, job.settings)
    assert both.text == f"{common} is shown for: calls break up; fix that first, then ask again"
    assert next(s for s in both.found if s.kind == common).answer == ""
    for_all = House(replace(job, answers=(replace(answer, complaint_id=None),)))
    assert next(s for s in likely_causes(for_all, job.settings, "m").found if s.kind == common).answer == "confirmed"
    assert likely_causes(for_all, job.settings).text == f"{common} is shown; fix that first, then ask again"
    with pytest.raises(NotFound, match="must name a complaint of the call"):
        likely_causes(house, job.settings, "ghost")
    # The answer goes with its complaint.
    assert without_entry(told.job, "complaints", "c").answers == ()
    with pytest.raises(BadInput, match=r"answers\[0\]\.complaint_id"):
        validate_job(replace(told.job, complaints=(MESH,)))


def test_steering_is_suspected_where_it_makes_a_gadget_flap():
    job = random_house(5, nodes=2, neighbours=15, devices=10)
    awkward = replace(job.devices[0], bands=("2.4 GHz",), awkward=True)
    job = replace(job, devices=(awkward, *job.devices[1:]), complaints=(DROPS,))
    steered = replace(job, settings=replace(job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-65.0)))
    on, off = shares(steered)["flapping by steering"], shares(job)["flapping by steering"]
    assert on.share > 0.4
    assert off.share < 0.1
    assert off.evidence[-1].text == "steering is off"


def test_evidence_carries_the_core_s_own_figures():
    job = measure(world_of(kiln_row()), "before")
    house = House(job)
    found = {s.kind: s for s in likely_causes(house, job.settings).found}
    assert set(found) <= set(USUAL)
    hop = next(h for h in tree(house, job.settings).hops if h.by != "cable")
    link = found["shared link"].evidence[0].text
    assert f"{hop.gets_mbps:.0f} Mb/s" in link
    assert f"{hop.carries_mbps:.0f} are wanted" in link
    assert found["hub too close"].evidence[0].text == "the hub stands right beside Landing node"
    assert found["enclosure"].evidence[0].text.startswith("Hall router stands in or behind something")
    # Every cause has a test of its own that somebody can do within the visit.
    assert len({s.test.text for s in found.values()}) == len(found)
    assert all(0 < s.test.minutes <= 60 for s in found.values())


@pytest.mark.parametrize(
    ("complaint", "field"),
    [
        (Complaint(id="x", what="video stalls", place_id="nowhere"), "complaints[0].place_id"),
        (Complaint(id="x", what="video stalls", place_id=None, device_id="nobody"), "complaints[0].device_id"),
    ],
)
def test_complaints_lead_somewhere(complaint, field):
    with pytest.raises(BadInput) as error:
        validate_job(replace(random_house(3), complaints=(complaint,)))
    assert error.value.field == field


@pytest.mark.parametrize(
    ("spoilt", "waiting", "said"),
    [
        (0.12, 0.32, "spoils 12% of the tries and makes it wait 32% of the time"),
        (0.004, 0.32, "makes it wait 32% of the time"),
        (0.12, 0.0, "spoils 12% of the tries"),
        (0.004, 0.005, "spoils less than 1% of the tries"),
    ],
)
def test_what_rounds_to_nothing_is_not_said(spoilt, waiting, said):
    found = ZigbeeInterferer(id="a", name="a", own=True, spoilt_fraction=spoilt, waiting_fraction=waiting)
    assert found.said == said


@pytest.mark.parametrize("typed", ["autumn", "since autumn", " Since since autumn"])
def test_since_when_is_the_same_answer_however_it_is_typed(typed):
    assert Complaint(id="c", what="calls break up", since=typed).since == "autumn"
