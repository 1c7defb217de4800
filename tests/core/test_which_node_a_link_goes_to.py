"""A radio link put to another node: only where the box lets one say which, never in a circle, and as levels say."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.houses import random_house

from even_static.core.change.sheet import acted, make_sheet
from even_static.core.errors import BadInput
from even_static.core.explain.backhaul import tree
from even_static.core.house.job import Job
from even_static.core.house.kit import Uplink
from even_static.core.house.links import link_ends, parents_of, same_ends
from even_static.core.house.settings import LinkBand, Settings
from even_static.core.house.validate import validate_settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.prove.before_after import prove
from even_static.core.prove.known_before import nodes_before
from even_static.core.prove.promised import predicted_and_came
from even_static.core.report.report import report
from even_static.core.search.candidates import EVERYTHING
from even_static.core.search.choices import other_links, tied
from even_static.core.search.moves import may_be_set, moves
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Living
from even_static.truth.drawn import drawn_house
from even_static.truth.house import TrueHouse
from even_static.truth.outcome import TruthAt


def chain(seed: int = 5, nodes: int = 3) -> Job:
    """A router and nodes that hang on it over the air; each may hang on another."""
    job = random_house(seed, nodes=nodes, radio_link=True, devices=12)
    first = job.nodes[0].id
    return replace(
        job,
        nodes=tuple(
            replace(n, can_choose_parent=True, uplink=Uplink(to_node_id=first, band="5 GHz")) if i else n
            for i, n in enumerate(job.nodes)
        ),
    )


def test_a_node_can_hang_on_any_other_but_those_that_hang_on_it():
    job = chain(nodes=4)
    a, b, c, d = job.nodes
    assert parents_of(job.nodes, a) == []
    assert {n.id for n in parents_of(job.nodes, b)} == {a.id, c.id, d.id}
    below = replace(d, uplink=Uplink(to_node_id=b.id, band="5 GHz"))
    nodes = (a, b, c, below)
    assert {n.id for n in parents_of(nodes, b)} == {a.id, c.id}
    assert {n.id for n in parents_of(nodes, below)} == {a.id, b.id, c.id}
    assert parents_of(nodes, replace(b, can_choose_parent=False)) == [a]
    assert c.id not in {n.id for n in parents_of((a, b, replace(c, kind="repeater"), below), b)}


def test_a_link_to_another_node_is_checked_for_what_the_box_can_and_for_circles():
    job = chain()
    a, b, c = job.nodes
    fine = replace(job.settings, link_bands=(LinkBand(c.id, "5 GHz", to_node_id=b.id),))
    validate_settings(job, fine, "settings")
    fixed = replace(job, nodes=(a, b, replace(c, can_choose_parent=False)))
    with pytest.raises(BadInput, match="another node that it can hang on"):
        validate_settings(fixed, fine, "settings")
    circle = (LinkBand(b.id, "5 GHz", to_node_id=c.id), LinkBand(c.id, "5 GHz", to_node_id=b.id))
    with pytest.raises(BadInput, match="lead every node to the router"):
        validate_settings(job, replace(job.settings, link_bands=circle), "settings")


def swapped(job: Job) -> Settings:
    """The second node's link over the third, where the third hung on the second before and hangs on the router now."""
    a, b, c = job.nodes[:3]
    links = (LinkBand(c.id, "5 GHz", to_node_id=a.id), LinkBand(b.id, "5 GHz", to_node_id=c.id))
    return tied(House(job), replace(job.settings, link_bands=links))


def one_behind_the_other() -> Job:
    """A router, a node on it, and another one on that one: each may hang on another."""
    job = chain(nodes=3)
    a, b, c = job.nodes
    return replace(job, nodes=(a, b, replace(c, uplink=Uplink(to_node_id=b.id, band="5 GHz"))))


def test_a_node_is_not_offered_what_hangs_on_it_even_where_it_hung_there_before():
    job = one_behind_the_other()
    house, settings = House(job), swapped(job)
    validate_settings(job, settings, "settings")
    a, b, c = job.nodes
    parents = {}
    for node in (b, c):
        offered = other_links(house, settings, node)
        for other in offered:
            validate_settings(job, other, "settings")
        hangs = [next(n for n in house.linked(o).job.nodes if n.id == node.id).uplink for o in offered]
        parents[node.id] = {up.to_node_id for up in hangs}
    assert parents == {b.id: {a.id, c.id}, c.id: {a.id}}


def test_links_that_lead_back_to_themselves_are_refused_by_the_model_too():
    job = one_behind_the_other()
    _, b, c = job.nodes
    with pytest.raises(ValueError, match="lead back to themselves"):
        House(job).linked_by((LinkBand(b.id, "5 GHz", to_node_id=c.id),))


def test_what_if_of_links_put_the_other_way_round_ends():
    job = one_behind_the_other()
    said = tree(House(job), swapped(job)).what_if
    assert {w.node_id for w in said} == {n.id for n in job.nodes[1:]}


def test_every_offered_link_leads_to_the_router_and_is_on_one_block():
    job = chain(nodes=4)
    house = House(job)
    offered = [m.settings for m in moves(house, EVERYTHING, job.settings) if m.kind == "link"]
    assert any(e.to_node_id is not None for s in offered for e in s.link_bands)
    for settings in offered:
        validate_settings(job, settings, "settings")
        again = [m.settings for m in moves(house, EVERYTHING, settings) if m.kind == "link"]
        for further in again:
            validate_settings(job, further, "settings")
    assert any(may_be_set(house, s) for s in offered)


def test_what_hangs_behind_passes_the_new_parent_in_the_model_the_worlds_and_the_truth():
    job = chain()
    a, b, c = job.nodes
    house = House(job)
    settings = next(
        m.settings
        for m in moves(house, EVERYTHING, job.settings)
        if m.kind == "link" and [(e.node_id, e.to_node_id) for e in m.settings.link_bands] == [(c.id, b.id)]
    )
    linked = house.linked_by(settings.link_bands)
    assert [linked.job.nodes[i].id for i in linked.above[2]] == [c.id, b.id, a.id]
    ends = link_ends(linked.job, c.id)
    assert ends is not None
    assert linked.job.node_of(ends[0]).id == b.id
    hop = next(h for h in tree(house, settings).hops if h.node_id == c.id)
    assert (hop.to_node_id, hop.hops) == (b.id, 2)
    work = Living(Worlds(house, 16)).at_work(settings)
    assert {house.radios[near].id for node, near, *_ in work.links if node == 2} == {ends[0]}
    # What it may bring stands in the backhaul's table.
    assert any(w.what.startswith(f"{c.name}: its link to {b.name}") for w in tree(house, job.settings).what_if)


def test_the_truth_sends_traffic_by_the_new_way():
    seed, job = next(
        (s, d)
        for s, d in ((s, drawn_house(s).job) for s in range(3100, 3200))
        if sum(n.uplink is not None and n.uplink.band is not None and n.uplink.to_node_id == "n0" for n in d.nodes) > 1
    )
    free = replace(job, nodes=tuple(replace(n, can_choose_parent=True, self_forming=False) for n in job.nodes))
    far, near = [n for n in free.nodes if n.uplink and n.uplink.band and n.uplink.to_node_id == "n0"][:2]
    true = TrueHouse(free, drawn_house(seed).neighbours, seed)
    at = TruthAt(true)
    wanted = replace(job.settings, link_bands=(LinkBand(far.id, "5 GHz", to_node_id=near.id),))
    link = next(k for k in at.links(wanted) if free.nodes[k.node].id == far.id)
    assert free.node_of(true.radios[link.near].id).id == near.id
    asked = {k.node: at._asked(at.lives(wanted)[0], [k])[k.node].sum() for k in at.links(wanted)}
    before = {k.node: at._asked(at.lives(job.settings)[0], [k])[k.node].sum() for k in at.links(job.settings)}
    index = {n.id: i for i, n in enumerate(free.nodes)}
    assert asked[index[near.id]] >= before[index[near.id]]


def test_the_level_of_a_new_link_is_the_one_heard_at_the_nodes_place():
    job = chain()
    house = House(job)
    b, c = job.nodes[1:]
    linked = house.linked_by((LinkBand(c.id, "5 GHz", to_node_id=b.id),))
    _, near, _, at_0 = next(k for k in linked.links if k[0] == 2)
    heard = house.own_at_0_dbm[near, house.places[c.place_id]]
    assert at_0 == pytest.approx(heard)


def test_a_sheet_that_is_done_leaves_the_node_on_its_new_parent():
    job = chain()
    a, b, c = job.nodes
    wanted = next(
        m.settings
        for m in moves(House(job), EVERYTHING, job.settings)
        if m.kind == "link" and [(e.node_id, e.to_node_id) for e in m.settings.link_bands] == [(c.id, b.id)]
    )
    at = "2026-03-02T14:00:00+01:00"
    job = replace(job, sheet=make_sheet(job, wanted, "one", at))
    assert job.sheet is not None
    for step in job.sheet.steps:
        job = acted(job, step.id, at, by="somebody")
    done = {n.id: n.uplink for n in job.nodes}
    assert done[c.id] is not None
    assert done[c.id].to_node_id == b.id
    assert done[b.id].to_node_id == a.id
    assert job.settings.link_bands == ()
    assert House(job).above[2] == [2, 1, 0]


def test_before_and_after_know_where_the_link_was():
    """What is said of before is of the link of then, what was promised is what the plan said, the report tells of the
    move, and going back puts the link back."""
    before = chain()
    b, c = before.nodes[1:]
    wanted = replace(before.settings, link_bands=(LinkBand(c.id, "5 GHz", to_node_id=b.id),))
    at = "2026-03-20T14:00:00+01:00"
    job = replace(before, sheet=make_sheet(before, wanted, "one", at))
    for step in job.sheet.steps:
        job = acted(job, step.id, at, by="somebody")
    proof = prove(job)
    then, promised = evaluate(House(before), before.settings), evaluate(House(before), wanted)
    assert then.rank.headroom_shortfall != promised.rank.headroom_shortfall
    assert [r.headroom for r in proof.figures_before.radios] == [r.headroom for r in then.radios]
    found = predicted_and_came(job)
    assert (found.problems_predicted, found.headroom_predicted) == (promised.problems, promised.headroom)
    back = House(job).linked(proof.before_settings).job.nodes
    assert all(same_ends(n.uplink, o.uplink) for n, o in zip(back[1:], before.nodes[1:], strict=True))
    rows = [r for chapter in report(job, at).annex for block in chapter.blocks for r in getattr(block, "rows", ())]
    assert (f"Link of {c.name}", f"5 GHz to {before.nodes[0].name}", f"5 GHz to {b.name}") in rows
    # Gone back, and moved once more: before is what it was before the first change.
    for wish in (proof.before_settings, replace(before.settings, link_bands=(LinkBand(b.id, "2.4 GHz"),))):
        at = at.replace("T14", "T16" if wish is proof.before_settings else "T18")
        job = replace(job, sheet=make_sheet(job, wish, "two", at))
        for step in job.sheet.steps:
            job = acted(job, step.id, at, by="somebody")
    assert [n.uplink and (n.uplink.to_node_id, n.uplink.band) for n in nodes_before(job)] == [
        n.uplink and (n.uplink.to_node_id, n.uplink.band) for n in before.nodes
    ]
