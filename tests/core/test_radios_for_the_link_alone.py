"""Devices kept off a radio that carries a link between nodes: in the model, the worlds, the truth and the search."""

from __future__ import annotations

import time
from dataclasses import replace

import pytest
from tests.houses import random_house

from even_static.core.change.sheet import ssid_plan_text
from even_static.core.errors import BadInput
from even_static.core.house.job import Job
from even_static.core.house.links import link_ends
from even_static.core.house.settings import Settings
from even_static.core.house.validate import validate_settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.radio_state import radio_state
from even_static.core.search.candidates import EVERYTHING, Held
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.moves import carried_over, may_be_set, moves
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Living
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.measured import walked
from even_static.truth.outcome import TruthAt


def with_the_choice(job: Job) -> Job:
    """The house with kit that lets one keep devices off every radio."""
    return replace(
        job,
        nodes=tuple(
            replace(n, radios=tuple(replace(r, can_be_backhaul_only=True) for r in n.radios)) for n in job.nodes
        ),
    )


def closed(settings: Settings, *radio_ids: str) -> Settings:
    return replace(settings, ssid_plan=replace(settings.ssid_plan, backhaul_only=radio_ids))


def linked_house(seed: int) -> tuple[Job, str]:
    """A house of two nodes over the air, and its router's radio that carries the link."""
    job = with_the_choice(random_house(seed, nodes=2, radio_link=True, devices=14))
    near, _ = next(e for e in (link_ends(job, n.id) for n in job.nodes) if e is not None)
    return job, near


@pytest.mark.parametrize("seed", range(4))
def test_no_device_joins_such_a_radio_and_its_link_goes_on(seed: int):
    job, radio_id = linked_house(seed)
    house = House(job)
    index, wanted = house.radio_index[radio_id], closed(job.settings, radio_id)
    before, after = radio_state(house, job.settings), radio_state(house, wanted)
    assert index in before.home.values(), "the house shows nothing otherwise"
    assert index not in after.home.values()
    assert before.serves(index)
    assert not after.serves(index)
    # Whoever had another radio keeps it: nobody else is asked to move.
    assert all(after.home[d] == r for d, r in before.home.items() if r != index)
    # The radio is on all the same, and its link works as before.
    now, then = evaluate(house, job.settings), evaluate(house, wanted)
    assert then.radios[index].enabled
    assert [p for p in then.problem_list if p.kind == "backhaul"] == [
        p for p in now.problem_list if p.kind == "backhaul"
    ]
    worlds = Living(Worlds(house, 32))
    assert (worlds.lived(job.settings).home == index).any()
    lived = worlds.lived(wanted)
    assert not (lived.home == index).any()
    # The radio is on the air all the same: it carries the link, and beacons.
    assert (lived.duty[:, index] > 0).all()


@pytest.mark.parametrize("seed", [5004, 5011])
def test_the_truth_keeps_devices_and_phones_off_it_too(seed: int):
    drawn = drawn_house(seed)
    true = TrueHouse(with_the_choice(drawn.job), drawn.neighbours, seed)
    radio_ids = [r.id for r in true.radios if r.band == "5 GHz"]
    now, then = TruthAt(true).outcome(true.job.settings), TruthAt(true).outcome(closed(true.job.settings, *radio_ids))
    assert set(now.home.values()) & set(radio_ids)
    assert not set(then.home.values()) & set(radio_ids)
    assert then.speed.keys() <= now.speed.keys()


def test_only_where_the_kit_has_it_and_only_for_radios_that_carry_a_link():
    job, radio_id = linked_house(1)
    plain = random_house(1, nodes=2, radio_link=True, devices=14)
    kinds = [m.kind for m in moves(House(plain), EVERYTHING, plain.settings)]
    assert "backhaul only" not in kinds
    ends = {e for n in job.nodes for e in link_ends(job, n.id) or ()}
    offered = [m for m in moves(House(job), EVERYTHING, job.settings) if m.kind == "backhaul only"]
    assert {m.whose for m in offered} == ends
    held = replace(EVERYTHING, held=Held(settings=job.settings, ssid_plan=True))
    assert not [m for m in moves(House(job), held, job.settings) if m.kind == "backhaul only"]
    with pytest.raises(BadInput, match="devices can be kept off"):
        validate_settings(plain, closed(plain.settings, radio_id), "settings")
    validate_settings(job, closed(job.settings, radio_id), "settings")
    assert f"no devices on {radio_id}" in ssid_plan_text(closed(job.settings, radio_id).ssid_plan)


def test_the_move_is_made_on_another_setting_and_taken_back_without_touching_the_rest():
    job, radio_id = linked_house(2)
    house, now = House(job), job.settings
    move = next(m for m in moves(house, EVERYTHING, now) if (m.kind, m.whose) == ("backhaul only", radio_id))
    other = replace(now, ssid_plan=replace(now.ssid_plan, high_band_from_dbm=-60.0))
    made = carried_over(now, move, other)
    assert made == closed(other, radio_id)
    back = next(m for m in moves(house, EVERYTHING, made) if (m.kind, m.whose) == ("backhaul only", radio_id))
    assert carried_over(made, back, made) == other
    # Another plan of names keeps it.
    named = next(m for m in moves(house, EVERYTHING, made) if m.kind == "names")
    assert named.settings.ssid_plan.backhaul_only == (radio_id,)
    assert carried_over(made, named, made).ssid_plan.backhaul_only == (radio_id,)
    assert may_be_set(house, made)


def test_it_is_taken_where_it_pays_and_left_where_it_does_not():
    """With all else held, the decision keeps devices off a radio exactly where that is better in the worlds."""
    taken = []
    for seed in range(3100, 3112):
        drawn = drawn_house(seed)
        if not any(n.uplink and n.uplink.band for n in drawn.job.nodes) or len(drawn.job.nodes) > 3:
            continue
        true = TrueHouse(with_the_choice(drawn.job), drawn.neighbours, seed)
        job = walked(true, lists=True)
        house = House(job)
        everything = Held(settings=job.settings, radio_ids=frozenset(r.id for r in job.radios), links=True, zigbee=True)
        rules = replace(EVERYTHING, held=everything)
        options = [m for m in moves(house, rules, job.settings) if m.kind == "backhaul only"]
        decision = decide(house, rules, {"as it is": job.settings}, Deadline(time.monotonic() + 20), count=24)
        closed_radios = decision.taken.settings.ssid_plan.backhaul_only
        assert set(closed_radios) <= {m.whose for m in options}
        if closed_radios:
            open_again = closed(decision.taken.settings)
            fresh = Living(Worlds(house, 64, seed=7))
            with_it, without = fresh.lived(decision.taken.settings), fresh.lived(open_again)
            assert with_it.problems.mean() <= without.problems.mean() + 0.25
            taken.append(seed)
    assert taken, "no house in which it pays: the action is not reached"
