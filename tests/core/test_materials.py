"""Materials and work: lengths that add up, what a way goes through, and the cautions that belong to it."""

from __future__ import annotations

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_static.core.change.materials import materials
from even_static.core.errors import BadInput
from even_static.core.house.building import Stand
from even_static.core.house.validate import validate_job
from even_static.core.house.works import CableRun
from even_static.core.tables.cautions import CAUTIONS
from even_static.instruments.simulated.kiln_row import kiln_row

JOB = kiln_row().job


def planned(*runs, job=JOB, **moved):
    job = replace(job, works=runs)
    validate_job(job)
    return materials(job, moved)


def test_a_cable_s_length_is_worked_out_by_hand():
    """Hall router (1.0, 1.2, 0.8) to the landing node (2.2, 2.6, 2.7 + 1.7): 1.2 + 1.4 + 3.6 m along walls and floors,
    15 % slack and two loops of 2 m, rounded up to whole metres."""
    found = planned(CableRun(id="a", to_node_id="landing", from_id="hall", runs=2))
    (run,) = found.runs
    assert run.length_m == pytest.approx(6.2)
    assert run.each_m == math.ceil(6.2 * 1.15 + 4) == 12
    assert run.total_m == 24
    assert any("floor" in h for h in run.holes)
    assert [li.count for li in found.materials if "network cable" in li.what] == ["25 m"]
    counts = {li.what: li.count for li in found.materials}
    assert counts["faceplates"] == counts["back boxes"] == "2"
    assert counts["network sockets (modules)"] == "4"


def test_outside_and_attic_ways_bring_their_materials_and_cautions():
    outside = planned(CableRun(id="a", to_node_id="studio", from_id="hall", route="along the outside"))
    assert any(li.what.startswith("outdoor-rated") for li in outside.materials)
    assert {c.kind for c in outside.cautions} >= {"ladders", "drilling", "mains", "outdoors"}
    assert any("between two buildings" in r for r in outside.runs[0].reasons)
    attic = planned(CableRun(id="a", to_node_id="landing", from_id="hall", route="through the attic"))
    assert "attics" in {c.kind for c in attic.cautions}
    assert attic.runs[0].length_m > planned(CableRun(id="a", to_node_id="landing", from_id="hall")).runs[0].length_m
    assert not any(li.what.startswith("outdoor-rated") for li in attic.materials)


def test_spare_runs_the_longest_link_and_what_is_done():
    single = planned(CableRun(id="a", to_node_id="landing", from_id="hall", runs=1))
    assert any("pull 2" in r for r in single.runs[0].reasons)
    # ISO/IEC 11801-1 and TIA-568 (from memory): a permanent link is 90 m at most.
    long = planned(CableRun(id="a", to_node_id="landing", from_id="hall", length_m=80.0))
    assert any("longer than 90 m" in r for r in long.runs[0].reasons)
    done = planned(CableRun(id="a", to_node_id="landing", from_id="hall", done=True))
    assert done.materials == ()
    assert done.minutes == 0
    assert done.runs[0].done


def test_a_box_that_moves_needs_a_place_a_socket_and_the_router_two_cables():
    found = planned(hall=Stand(storey=0, x_m=4.2, y_m=2.4, height_m=2.3, mounting="ceiling"))
    assert any("ceiling" in li.what for li in found.materials)
    assert any("socket" in li.what for li in found.materials)
    assert any("second one brings the network" in w for w in found.work)
    assert any("licensed electrician" in w for w in found.work)
    assert planned(hall=JOB.nodes[0].stand).text == "no cable and no new place is needed"
    bare = planned(CableRun(id="a", to_node_id="landing", from_id="hall"), job=replace(JOB, building=None))
    assert bare.runs[0].each_m is None
    assert "still to be measured" in bare.text


@given(st.floats(0.5, 300), st.integers(1, 8))
def test_what_is_bought_is_never_less_than_what_is_needed(walk_m, runs):
    found = planned(CableRun(id="a", to_node_id="landing", from_id="hall", runs=runs, length_m=walk_m))
    bought = float(next(li.count for li in found.materials if "network cable" in li.what).split()[0])
    assert bought >= found.runs[0].total_m >= runs * (walk_m + 4)
    assert found.runs[0].each_m - (walk_m * 1.15 + 4) < 1


def test_every_step_s_cautions_are_there_and_unknown_ends_are_refused():
    steps = {s for c in CAUTIONS for s in c.steps}
    assert steps >= {"ask", "kit", "house", "listen", "tune", "change", "materials", "ab_tests"}
    assert all("licensed" in c.text for c in CAUTIONS if c.kind in ("mains", "bells"))
    with pytest.raises(BadInput, match=r"works\[0\]\.from_id"):
        validate_job(replace(JOB, works=(CableRun(id="a", to_node_id="landing", from_id="nobody"),)))
