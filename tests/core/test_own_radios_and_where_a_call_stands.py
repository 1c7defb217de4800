"""Own radios told apart in practice houses that know the answer; what a visit does next, step by step."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from even_static.core.errors import BadInput
from even_static.core.explain.standing import standing
from even_static.core.house.boxes import MADE_UP_ADDRESS
from even_static.core.house.changes import Change
from even_static.core.house.job import Job
from even_static.core.house.notes import take_notes
from even_static.core.house.readings import SpeedTest
from even_static.core.model.evaluate import evaluate
from even_static.core.prove.before_after import prove
from even_static.core.survey.own_radios import heard_names, retold, unnamed_radios, with_own_name
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import walked

EMPTY = Job(title="A call", country="NL")
AT = "2026-03-02T14:00:00+01:00"


def nameless(job: Job) -> tuple[Job, dict[str, str]]:
    """A walked house as it is before anybody has told an address, and the addresses that are right."""
    right = {r.id: r.bssid for r in job.radios}
    made_up = {r.id: f"{MADE_UP_ADDRESS}00:{n:02x}:00" for n, r in enumerate(job.radios)}
    factory = tuple(replace(s, channel=1, width_mhz=20, centre_mhz=None) for s in job.settings.radios)
    nodes = tuple(
        replace(n, radios=tuple(replace(r, bssid=made_up[r.id], ssid="unknown") for r in n.radios)) for n in job.nodes
    )
    return replace(job, nodes=nodes, settings=replace(job.settings, radios=factory)), right


def test_own_radios_are_told_apart_by_where_they_are_loud():
    """Sixty practice houses, walked in the afternoon: of what is called certain nearly all is right."""
    right_all, right_certain, channels = [], [], []
    for seed in range(3200, 3260):
        drawn = drawn_house(seed)
        truth = walked(TrueHouse(drawn.job, drawn.neighbours, seed), lists=False)
        if len(truth.nodes) < 2 or any(r.link_only for r in truth.radios):
            continue
        job, right = nameless(truth)
        assert len(unnamed_radios(job)) == len(right)
        loudest = heard_names(job)
        assert "home" in {n.ssid for n in loudest}
        taken, found = with_own_name(job, "home")
        right_all += [f.bssid == right[f.radio_id] for f in found]
        right_certain += [f.bssid == right[f.radio_id] for f in found if f.certain]
        channels += [taken.settings.of(f.radio_id).channel == f.channel for f in found]
        # Each network is taken once, and what was scanned says under which settings.
        assert len({f.bssid for f in found}) == len(found)
        assert all(
            s.settings is None or s.settings.of(f.radio_id).channel == f.channel for s in taken.scans for f in found
        )
    assert len(right_all) > 60
    assert np.mean(right_all) > 0.97
    assert np.mean(right_certain) > 0.99
    assert len(right_certain) > 0.8 * len(right_all)
    assert all(channels)


def scanned_one_by_one(seed: int) -> tuple[Job, dict[str, str]] | None:
    """A house whose network was named after its first scan in which it was heard, and then walked on; what is right."""
    drawn = drawn_house(seed)
    truth = walked(TrueHouse(drawn.job, drawn.neighbours, seed), lists=False)
    if len(truth.nodes) < 2 or any(r.link_only for r in truth.radios):
        return None
    job, right = nameless(truth)
    job, rest = replace(job, scans=()), list(job.scans)
    while rest and not any(n.ssid == "home" for n in heard_names(job)):
        job = replace(job, scans=(*job.scans, rest.pop(0)))
    job, _ = with_own_name(job, "home")
    for scan in rest:
        job, _ = retold(replace(job, scans=(*job.scans, scan)))
    return job, right


def test_radios_named_after_one_scan_are_told_apart_by_those_that_follow():
    """What one scan cannot tell apart the later ones do, as well as if all had been there from the beginning; each
    address is one radio's, and each radio is set as it was heard."""
    right_all = []
    for seed in range(3200, 3260):
        walked_on = scanned_one_by_one(seed)
        if walked_on is None:
            continue
        job, right = walked_on
        heard = {r.bssid: r for s in job.scans for r in s.readings}
        own = [r for r in job.radios if r.bssid in heard]
        assert len({r.bssid for r in job.radios}) == len(job.radios)
        assert {r.id for r in own} == {i for i, bssid in right.items() if bssid in heard}
        right_all += [r.bssid == right[r.id] for r in own]
        assert all(job.settings.of(r.id).channel == heard[r.bssid].channel for r in own)
        assert {r.ssid for r in job.radios} == {"home"}
    assert len(right_all) > 60
    assert np.mean(right_all) > 0.97


def test_an_address_that_was_typed_stays_and_so_does_everything_after_a_change():
    job, right = next(found for seed in range(3200, 3260) if (found := scanned_one_by_one(seed)) is not None)
    a, b = (r for r in job.radios if r.band == "5 GHz")
    swapped = {a.id: b.bssid, b.id: a.bssid}

    def wrongly(taken: bool) -> Job:
        nodes = tuple(
            replace(
                n,
                radios=tuple(
                    replace(r, bssid=swapped[r.id], taken_bssid=swapped[r.id] if taken else None)
                    if r.id in swapped
                    else r
                    for r in n.radios
                ),
            )
            for n in job.nodes
        )
        return replace(job, nodes=nodes)

    again, moved = retold(wrongly(taken=True))
    assert {f.radio_id for f in moved} == set(swapped)
    assert all(again.radio(i).bssid == right[i] for i in swapped)
    typed = wrongly(taken=False)
    assert retold(typed) == (typed, ())
    change = Change("2026-03-02T16:00:00+01:00", job.settings, job.settings, "a plan")
    changed = replace(wrongly(taken=True), changes=(change,))
    assert retold(changed) == (changed, ())


def test_a_name_that_nobody_heard_is_refused_with_those_that_were():
    drawn = drawn_house(3200)
    job, _ = nameless(walked(TrueHouse(drawn.job, drawn.neighbours, 3200), lists=False))
    with pytest.raises(BadInput, match="home"):
        with_own_name(job, "somebody else")
    assert heard_names(walked(TrueHouse(drawn.job, drawn.neighbours, 3200), lists=False)) == []


def test_nothing_is_known_of_the_air_until_somebody_says_which_network_is_the_household_s():
    drawn = drawn_house(3205)
    truth = walked(TrueHouse(drawn.job, drawn.neighbours, 3205), lists=False)
    job, right = nameless(truth)
    assert job.scans
    assert not replace(job, scans=()).own_unnamed
    assert job.own_unnamed
    assert not job.air_known
    assert truth.air_known
    assert not truth.own_unnamed
    said = {s.step: s.said for s in standing(job).steps}
    assert said["listen"] == said["tune"] == "Nobody has said which network is the household's"
    assert any(t.text == "Say which network is the household's" for t in [standing(job).next, *standing(job).others])
    assert with_own_name(job, "home")[0].air_known
    # One address typed from the router's page is enough; from then on only its name is asked for.
    node = job.nodes[0]
    first = replace(node.radios[0], bssid=right[node.radios[0].id], ssid="home")
    told = replace(job, nodes=(replace(node, radios=(first, *node.radios[1:])), *job.nodes[1:]))
    assert told.air_known
    assert len(heard_names(job)) > 1
    assert {n.ssid for n in heard_names(told)} <= {"home"}
    # A scan that heard the very address that stands for a radio knows it: practice houses send theirs.
    heard = replace(
        job,
        scans=tuple(
            replace(
                s,
                readings=tuple(
                    replace(r, bssid=job.radios[0].bssid) if r.bssid == right[job.radios[0].id] else r
                    for r in s.readings
                ),
            )
            for s in job.scans
        ),
    )
    assert heard.air_known


def test_what_is_next_follows_the_visit():
    job = EMPTY
    assert standing(job).next.text == "Write down what is complained about"
    job = take_notes(job, "the film stalls in the study on the television").job
    assert standing(job).next.text == "Write down the router"
    job = take_notes(job, "router, hall\nlaptop, attic\nmesh node, landing").job
    assert standing(job).next.text == "Test the speed by cable at the router"
    test = SpeedTest(place_id=job.nodes[0].place_id, tested_at=AT, down_mbps=(90.0,), up_mbps=(20.0,), over="cable")
    job = replace(job, speed_tests=(test,))
    # The room of the complaint first, then where the nodes stand, then where something is used.
    told = [standing(job).next, *standing(job).others]
    places = [t.place_id for t in told if t.text.startswith("Scan")]
    named = {p.id: p.name for p in job.places}
    assert [named[p] for p in places if p] == ["study", "hall", "landing", "attic"]
    assert all(t.minutes > 0 and t.why for t in told)
    states = {s.step: s.state for s in standing(job).steps}
    assert (states["ask"], states["kit"], states["walk"], states["prove"]) == ("enough", "enough", "open", "open")


@pytest.mark.parametrize("seed", [3201, 3205, 3211])
def test_a_walked_house_is_ready_for_a_plan_and_after_a_change_is_measured_again(seed: int):
    drawn = drawn_house(seed)
    job = walked(TrueHouse(drawn.job, drawn.neighbours, seed))
    job = replace(job, complaint="slow")
    assert standing(job).next.text == "Find the best settings"
    later = replace(
        job, changes=(Change("2026-03-02T16:00:00+01:00", job.settings, job.settings, "a plan"),), sheet=None
    )
    again = standing(later)
    assert again.next.text.startswith("Measure again in the")
    assert {s.step: s.state for s in again.steps}["prove"] == "open"
    # What is said of before is what was shown before, with what the router listed then.
    shown, before = evaluate(job, job.settings), prove(later).figures_before
    assert job.client_list
    assert [r.headroom for r in before.radios] == [r.headroom for r in shown.radios]
    assert [d.radio_id for d in before.devices] == [d.radio_id for d in shown.devices]
    assert before.problems == shown.problems
    done = replace(
        later,
        scans=(
            *later.scans,
            *(replace(s, id=f"{s.id}-b"[:40], heard_at="2026-03-02T17:00:00+01:00") for s in later.scans),
        ),
    )
    # Where the speed was tested before, levels alone do not say whether it helped.
    assert standing(done).next.text.startswith("Test the speed again")
    assert {s.step: s.state for s in standing(done).steps}["prove"] != "enough"
    tests = tuple(replace(t, tested_at="2026-03-02T17:30:00+01:00") for t in done.speed_tests)
    done = replace(done, speed_tests=(*done.speed_tests, *tests))
    assert standing(done).next.step == "report"
    assert {s.step: s.state for s in standing(done).steps}["prove"] == "enough"
