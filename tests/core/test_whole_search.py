"""The search over everything: brute force over every listed choice and every block on small houses, and properties."""

from __future__ import annotations

import gc
import itertools
import time
import weakref
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

import even_static.core.search.plan as plan_module
from even_static.core.errors import BadInput
from even_static.core.house.job import Job
from even_static.core.house.kit import Node, Radio
from even_static.core.house.links import link_ends
from even_static.core.house.settings import DeviceBand, RadioSetting, Settings, SsidPlan
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House, with_link_bands
from even_static.core.model.radio_state import radio_state
from even_static.core.model.rank import headroom_bin
from even_static.core.model.violations import require_choosable
from even_static.core.search.candidates import Rules, candidates, follows, standard_sets
from even_static.core.search.choices import listed_choices, steps_of
from even_static.core.search.everything import search_whole
from even_static.core.search.one_band import solve
from even_static.core.search.plan import best_settings, make_plan
from even_static.core.search.rules_of_thumb import careful, with_block
from even_static.core.tables.bands import BANDS

ALL = Rules(power=True, switch_off=True, links=True, steering=True)
FEW = {"2.4 GHz": (1, 6, 11), "5 GHz": (36, 44), "6 GHz": (5,)}
NARROW = {"2.4 GHz": (20,), "5 GHz": (20, 40), "6 GHz": (20,)}


def far() -> float:
    return time.monotonic() + 90


def _small(seed: int, *, link: bool = False) -> Job:
    job = random_house(
        seed,
        nodes=2,
        bands=("2.4 GHz", "5 GHz"),
        neighbours=10,
        places=5,
        devices=5,
        zigbee_devices=3,
        channels=FEW,
        widths=NARROW,
        radio_link=link,
    )
    nodes = tuple(
        replace(n, radios=tuple(replace(r, eirp_steps_dbm=(14.0, 20.0)) for r in n.radios)) for n in job.nodes
    )
    zigbee = replace(job.zigbee, selectable_channels=(15, 25, job.settings.zigbee_channel))
    return replace(job, nodes=nodes, zigbee=zigbee)


def _brute_force(house: House, rules: Rules):
    """The smallest key over every listed choice and every block, each evaluated by itself."""
    best = None
    for group in listed_choices(house, rules):
        job = house.linked_by(group.start.link_bands).job
        tied = [tuple(house.radio_index[r] for r in ends) for n in job.nodes for ends in [link_ends(job, n.id)] if ends]
        for n in range(len(group.eirp_dbm)):
            start = group.settings(n)
            options = [candidates(house.job, s, rules) for s in start.radios]
            for blocks in itertools.product(*options):
                if any(blocks[a] != blocks[b] for a, b in tied):
                    continue
                radios = tuple(with_block(s, b) for s, b in zip(start.radios, blocks, strict=True))
                for z in house.job.zigbee.selectable_channels:
                    key = evaluate(house, replace(start, radios=radios, zigbee_channel=z)).rank
                    best = key if best is None else min(best, key)
    return best


@pytest.mark.parametrize(
    ("seed", "rules", "link"),
    [
        (0, Rules(power=True), False),
        (1, Rules(switch_off=True, steering=True), False),
        (2, Rules(switch_off=True), True),
        (3, Rules(links=True), True),
        (5, Rules(power=True, links=True), True),
    ],
)
def test_nothing_that_is_listed_is_better(seed, rules, link):
    house = House(_small(seed, link=link))
    found = search_whole(house, rules, far(), refine=False)
    assert found.proven
    assert found.evaluation == evaluate(house, found.settings)
    assert found.evaluation.rank == _brute_force(House(house.job), rules)


@settings(max_examples=12)
@given(st.integers(0, 10_000), st.integers(1, 3), st.booleans())
def test_whole_plans_are_lawful_never_worse_and_keep_what_is_locked(seed, nodes, link):
    job = random_house(seed, nodes=nodes, neighbours=15, places=6, devices=6, zigbee_devices=4, radio_link=link)
    first = job.nodes[0].radios[0]
    locked = replace(job.nodes[0], radios=(replace(first, locked=True), *job.nodes[0].radios[1:]))
    job = replace(job, nodes=(locked, *job.nodes[1:]))
    house = House(job)
    found = best_settings(house, ALL, time.monotonic() + 3)
    assert found.evaluation == evaluate(house, found.settings)
    assert found.evaluation.rank <= evaluate(house, job.settings).rank
    assert found.evaluation.lawful
    require_choosable(job, found.settings)
    assert found.settings.of(first.id) == job.settings.of(first.id)
    only = best_settings(house, Rules(), time.monotonic() + 3)
    if found.proven and only.proven:
        assert found.evaluation.rank <= only.evaluation.rank


def test_a_radio_that_a_link_needs_stays_on_and_locked_power_stays():
    job = random_house(4, nodes=3, radio_link=True, neighbours=5, devices=4, zigbee_devices=0)
    house = House(job)
    for group in listed_choices(house, ALL):
        tied = house.linked_by(group.start.link_bands).job
        for ends in filter(None, (link_ends(tied, n.id) for n in tied.nodes)):
            for r in ends:
                assert group.enabled[:, house.radio_index[r]].all()
    setting = job.settings.radios[0]
    # Its own steps and the present power, as far as the law allows it.
    radio = job.nodes[0].radios[0]
    assert steps_of(house, setting) == sorted({*radio.eirp_steps_dbm, setting.eirp_dbm}, reverse=True)
    shut = replace(job.nodes[0], radios=(replace(job.nodes[0].radios[0], locked=True), *job.nodes[0].radios[1:]))
    assert steps_of(House(replace(job, nodes=(shut, *job.nodes[1:]))), setting) == [setting.eirp_dbm]


def test_it_can_be_stopped_with_the_best_so_far():
    job = random_house(0, nodes=3, neighbours=60, places=20, devices=15, zigbee_devices=15)
    told = []

    def stop(text, fraction):
        told.append((text, fraction))
        return len(told) < 3

    house = House(job)
    found = search_whole(house, ALL, far(), on_progress=stop)
    assert len(told) == 3
    # What was said last is no better than what comes out.
    assert found.evaluation.problems <= int(told[-1][0].split("best so far ")[1].split()[0])
    assert found.evaluation == evaluate(house, found.settings)
    assert found.bound_rank <= found.evaluation.rank


def test_a_radio_link_goes_where_its_level_and_rate_are_better():
    job = random_house(4, nodes=2, radio_link=True, neighbours=0, devices=3, zigbee_devices=0)
    child = job.nodes[1]
    weak = replace(child, uplink=replace(child.uplink, rssi_dbm=-92.0))
    house = House(replace(job, nodes=(job.nodes[0], weak)))
    assert any(t.subject_id == child.id for t in evaluate(house, house.job.settings).problem_list)
    found = search_whole(house, Rules(links=True), far())
    assert [link.node_id for link in found.settings.link_bands] == [child.id]
    moved = with_link_bands(house.job, found.settings.link_bands)
    assert moved.nodes[1].uplink.band == found.settings.link_bands[0].band != "5 GHz"
    assert moved.nodes[1].uplink.rssi_dbm > -92
    assert not any(t.subject_id == child.id for t in found.evaluation.problem_list)


# -- SSIDs and steering ------------------------------------------------------------------------------------------


def _named(job: Job, names: SsidPlan) -> Settings:
    return replace(job.settings, ssid_plan=names)


def test_steering_moves_devices_at_its_level_and_own_names_hold_them():
    job = random_house(9, nodes=1, neighbours=0, devices=12, zigbee_devices=0)
    house = House(job)
    for level in (-50.0, -65.0, -80.0):
        state = radio_state(house, _named(job, SsidPlan(high_band_from_dbm=level)))
        for d in job.devices:
            home = state.home[d.id]
            five = [i for i, r in enumerate(house.radios) if r.band != "2.4 GHz" and r.band in d.bands]
            place = house.places[d.place_id]
            if any(state.own_rssi_dbm[i, place] >= level for i in five):
                assert house.radios[home].band != "2.4 GHz"
    both = next(d for d in job.devices if "5 GHz" in d.bands)
    split = SsidPlan("one SSID plus a split pair", bands=(DeviceBand(both.id, "2.4 GHz"),))
    assert house.radios[radio_state(house, _named(job, split)).home[both.id]].band == "2.4 GHz"


def test_awkward_devices_flap_under_steering_and_groups_are_torn_by_names():
    """Common practice: steering makes single-band gadgets flap; a name of their own ends it; names split groups."""
    job = random_house(9, nodes=1, neighbours=0, devices=4, zigbee_devices=0)
    gadget, other = job.devices[0], job.devices[1]
    awkward = replace(gadget, bands=("2.4 GHz",), awkward=True, group_id="music")
    job = replace(job, devices=(awkward, replace(other, group_id="music"), *job.devices[2:]))
    house = House(job)

    def kinds(names: SsidPlan) -> list[str]:
        return [t.kind for t in evaluate(house, _named(job, names)).problem_list]

    assert "flaps" not in kinds(SsidPlan())
    assert "flaps" in kinds(SsidPlan(high_band_from_dbm=-65.0))
    pair = SsidPlan("one SSID plus a split pair", -65.0, (DeviceBand(gadget.id, "2.4 GHz"),))
    assert "flaps" not in kinds(pair)
    assert "torn" in kinds(pair)
    together = replace(pair, bands=(*pair.bands, DeviceBand(other.id, "2.4 GHz")))
    assert "torn" not in kinds(together)


def test_a_passed_on_stream_is_carried_twice():
    job = random_house(9, nodes=1, neighbours=0, devices=2, zigbee_devices=0)
    phone, speaker = job.devices
    before = House(job)
    relayed = House(replace(job, devices=(phone, replace(speaker, relayed_by_id=phone.id))))
    extra = relayed.demand_mbps - before.demand_mbps
    assert np.allclose(extra[0], speaker.demand_down_mbps)
    assert np.allclose(extra[1], 0)
    need = [sum(r.need_fraction for r in evaluate(h, job.settings).radios) for h in (before, relayed)]
    assert need[1] > need[0]


@pytest.mark.parametrize(
    ("names", "links", "field"),
    [
        (SsidPlan("split SSIDs", bands=(DeviceBand("ghost", "5 GHz"),)), (), "settings.ssid_plan.bands[0].device_id"),
        (SsidPlan("one SSID", bands=(DeviceBand("d0", "2.4 GHz"),)), (), "settings.ssid_plan.bands"),
        (SsidPlan(), (("node0", "5 GHz"),), "settings.link_bands[0].node_id"),
    ],
)
def test_names_and_links_that_lead_nowhere_are_named(names, links, field):
    from even_static.core.house.settings import LinkBand

    job = random_house(9, nodes=2, devices=3)
    bad = replace(job.settings, ssid_plan=names, link_bands=tuple(LinkBand(*e) for e in links))
    with pytest.raises(BadInput) as caught:
        validate_job(replace(job, settings=bad))
    assert caught.value.field == field


def test_steering_is_not_sent_to_a_box_that_has_none():
    job = random_house(9, nodes=2, devices=3, neighbours=3)
    deaf = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], steering="nothing")))
    with pytest.raises(BadInput, match="must be offered by every node"):
        require_choosable(deaf, _named(deaf, SsidPlan(high_band_from_dbm=-65.0)))
    assert {g.start.ssid_plan.high_band_from_dbm for g in listed_choices(House(deaf), ALL)} == {None}


# -- recipes -----------------------------------------------------------------------------------------


def test_the_careful_technician_s_recipe():
    """1/6/11 by least measured use at 20 MHz, 80 MHz apart at 5 GHz, middle power, Zigbee clear: common practice."""
    job = random_house(8, nodes=2, neighbours=20)
    house = House(job)
    found = careful(house, job.settings)
    on_24 = [s for s in found.radios if job.radio(s.radio_id).band == "2.4 GHz"]
    assert {s.channel for s in on_24} <= {1, 6, 11}
    assert len({s.channel for s in on_24}) == 2
    assert all(s.width_mhz == 20 for s in on_24)
    on_5 = [s for s in found.radios if job.radio(s.radio_id).band == "5 GHz"]
    assert all(s.width_mhz == 80 for s in on_5)
    assert len({s.centre_mhz for s in on_5}) == 2
    assert all(s.eirp_dbm < max(job.radio(s.radio_id).eirp_steps_dbm) for s in found.radios)
    plan = make_plan(house, ALL, 2.0, in_worlds=False)
    recipe = next(a for a in plan.alternatives if a.name == "careful technician")
    assert plan.evaluation.rank <= recipe.evaluation.rank


def test_a_node_of_one_radio_and_a_radio_of_one_step_do():
    radio = Radio(
        id="r",
        bssid="02:00:00:00:00:01",
        ssid="x",
        band="2.4 GHz",
        generation="802.11n",
        streams=1,
        widths_mhz=(20,),
        eirp_steps_dbm=(17.0,),
    )
    job = replace(
        random_house(3, nodes=1, devices=0, zigbee_devices=0, neighbours=4),
        nodes=(Node(id="n", name="n", place_id="p0", radios=(radio,)),),
        scans=(),
        settings=Settings((RadioSetting(radio_id="r", channel=6, width_mhz=20, eirp_dbm=17.0),)),
    )
    found = search_whole(House(job), ALL, far())
    assert found.proven


@pytest.mark.parametrize("seed", [2, 5])
def test_the_whole_search_against_a_general_solver(seed):
    """CP-SAT (ortools) over every listed choice and block at once: as few problems, the same worst headroom."""
    from tests.oracle import solve_whole

    job = replace(_small(seed), zigbee=None)
    job = replace(job, settings=replace(job.settings, zigbee_channel=None))
    house = House(job)
    rules = Rules(power=True, switch_off=True, steering=True)
    mine = search_whole(house, rules, far(), refine=False)
    theirs = solve_whole(house, rules, 60.0)
    assert mine.proven
    assert theirs.proven
    assert (mine.evaluation.problems, headroom_bin(np.array([mine.evaluation.headroom]))[0]) == (
        theirs.problems,
        theirs.worst_bin,
    )


def test_the_next_best_of_every_setting_is_told_and_none_is_better():
    """Powers, names, the link and the Zigbee channel: each other way evaluated here by itself, the best one is told."""
    job = _small(5, link=True)
    house = House(job)
    plan = make_plan(house, ALL, 30, in_worlds=False)
    assert plan.proven
    told = {a.name: a for a in plan.alternatives if a.kind == "next best"}
    for start in ("n0-0 at", "n1-1 at", "SSIDs and steering:", "Zigbee on", "the link of node 1"):
        (name,) = [n for n in told if n.startswith(start)]
        other = told[name]
        assert other.evaluation == evaluate(House(job), other.settings)
        assert other.settings != plan.settings
        assert other.evaluation.rank >= plan.evaluation.rank
    (zigbee,) = [a for n, a in told.items() if n.startswith("Zigbee on")]
    others = [z for z in job.zigbee.selectable_channels if z != plan.settings.zigbee_channel]
    keys = [evaluate(house, replace(plan.settings, zigbee_channel=z)).rank for z in others]
    assert zigbee.evaluation.rank == min(keys)


def test_nothing_is_proven_when_the_second_set_of_channels_was_cut_off(monkeypatch):
    job = random_house(3, nodes=2, neighbours=12, devices=8)
    assert len(standard_sets(job)) == 2
    rules = Rules(channel_plan="1/6/11 only")
    whole = make_plan(House(job), rules, 30, in_worlds=False)
    assert whole.proven
    calls = []

    def cut_off_after_the_first_set(problem, *more):
        calls.append(problem)
        found = solve(problem, *more)
        return found if len(calls) <= len(BANDS) else replace(found, proven=False, bound=(0, 0))

    monkeypatch.setattr(plan_module, "solve", cut_off_after_the_first_set)
    found = best_settings(House(job), rules, far())
    assert len(calls) == 2 * len(BANDS)
    assert not found.proven
    assert (found.bound.problems, -found.bound.headroom) <= (whole.bound.problems, -whole.bound.headroom)


@pytest.mark.parametrize("rules", [Rules(channel_plan="1/6/11 only"), replace(ALL, channel_plan="1/6/11 only")])
def test_a_chosen_set_of_channels_holds_even_if_the_house_is_better_off_without(rules):
    """Also where nothing in the set is better than what is set now, and where nodes can be moved."""
    for seed in (2, 45):
        job = random_house(seed, nodes=2, neighbours=25, devices=10)
        plan = make_plan(House(job), rules, 20)
        on = [s.channel for s in plan.settings.radios if s.enabled and job.radio(s.radio_id).band == "2.4 GHz"]
        assert any(set(on) <= set(channels) for channels in standard_sets(job)), (seed, on)
        assert follows(job, plan.settings, rules)


def test_a_cut_off_search_takes_a_better_neighbour_for_its_plan():
    """What is told as "next best" never has fewer problems than the best, however little time there was."""
    for seed in range(4):
        plan = make_plan(House(_small(seed, link=True)), Rules(), 0.05, in_worlds=False)
        for other in plan.alternatives:
            if other.kind == "next best":
                assert other.evaluation.rank >= plan.evaluation.rank


def test_a_house_goes_with_all_that_was_worked_out_for_it():
    """A server that plans all day keeps nothing of the houses it is done with."""
    house = House(random_house(2, nodes=2, neighbours=10, devices=6, zigbee_devices=4))
    make_plan(house, ALL, 2.0)
    still_there = weakref.ref(house)
    del house
    gc.collect()
    assert still_there() is None
