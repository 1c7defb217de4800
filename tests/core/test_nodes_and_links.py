"""Kits with two radios of one band, repeaters under another name, switches on the way: what they are, and do."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.explain.backhaul import tree
from even_static.core.house.kit import Switch, Uplink
from even_static.core.house.links import link_ends
from even_static.core.house.settings import LinkBand, RadioSetting
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import Rules
from even_static.core.search.choices import link_choices_of
from even_static.core.search.plan import best_settings
from even_static.core.tables.placing import CABLE_MBPS, CABLE_SHARE


def with_second_radio(job, *, link_only: bool):
    """Both nodes get a second 5 GHz radio on 100; the link stays on the first unless it is given over."""
    nodes, settings = [], list(job.settings.radios)
    for n, node in enumerate(job.nodes):
        first = next(r for r in node.radios if r.band == "5 GHz")
        second = replace(first, id=f"n{n}-link", bssid=f"02:00:00:00:{n:02x}:09", link_only=link_only)
        nodes.append(replace(node, radios=(*node.radios, second)))
        settings.append(RadioSetting(radio_id=second.id, channel=100, width_mhz=80, eirp_dbm=20.0))
    # The second radio is heard as loud as the first.
    scans = tuple(
        replace(
            li,
            readings=(
                *li.readings,
                *(
                    replace(r, bssid=r.bssid[:-2] + "09", channel=100, centre_mhz=5530, width_mhz=80)
                    for r in li.readings
                    if r.bssid.startswith("02:00") and r.band == "5 GHz"
                ),
            ),
        )
        for li in job.scans
    )
    return replace(job, nodes=tuple(nodes), settings=replace(job.settings, radios=tuple(settings)), scans=scans)


@pytest.fixture(scope="module")
def kit():
    job = random_house(21, nodes=2, neighbours=4, devices=8, zigbee_devices=0, radio_link=True)
    return with_second_radio(job, link_only=False)


def test_a_radio_given_over_carries_the_link_and_no_device(kit):
    given = replace(
        kit,
        nodes=tuple(
            replace(n, radios=tuple(replace(r, link_only=r.id.endswith("link")) for r in n.radios)) for n in kit.nodes
        ),
    )
    validate_job(given)
    assert link_ends(given, "node1") == ("n0-link", "n1-link")
    figures = evaluate(given, given.settings)
    assert all(r.devices == 0 for r in figures.radios if r.radio_id.endswith("link"))
    (hop,) = tree(House(given), given.settings).hops
    assert "dedicated to the link" in hop.text
    assert not hop.shared
    # The air that devices use is left to them: the rooms behind get at least as much as over the shared radio.
    (shared,) = tree(House(kit), kit.settings).hops
    assert hop.gets_mbps >= shared.gets_mbps


def test_radios_are_named_only_where_there_are_two(kit):
    ways = link_choices_of(kit.nodes[1], kit.nodes[0])
    assert LinkBand("node1", "5 GHz", "n1-link", "n0-link") in ways
    assert LinkBand("node1", "2.4 GHz") in ways
    assert len(ways) == 1 + 4 + 1 - 1  # 2.4 and 6 GHz, four pairs at 5 GHz, less the present one


def test_the_search_weighs_every_pair_and_its_value_is_evaluate_s(kit):
    found = best_settings(House(kit), Rules(links=True), 1e12)
    assert found.evaluation == evaluate(House(kit), found.settings)
    for way in link_choices_of(kit.nodes[1], kit.nodes[0]):
        near, far = link_ends(House(kit).linked_by((way,)).job, "node1")
        at = kit.settings.of(near)
        tied = tuple(
            replace(s, channel=at.channel, width_mhz=at.width_mhz, centre_mhz=at.centre_mhz) if s.radio_id == far else s
            for s in kit.settings.radios
        )
        ab_test = replace(kit.settings, radios=tied, link_bands=(way,))
        assert found.evaluation.rank <= evaluate(House(kit), ab_test).rank


def test_a_second_radio_spares_the_second_hop_the_halving(kit):
    """Common practice: a box that sends on by another radio uses no air twice."""
    job = random_house(3, nodes=3, neighbours=0, devices=0, zigbee_devices=0)
    chained = replace(
        job,
        nodes=(
            job.nodes[0],
            replace(job.nodes[1], uplink=Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-50.0)),
            replace(job.nodes[2], uplink=Uplink(to_node_id="node1", band="5 GHz", rssi_dbm=-50.0)),
        ),
    )
    near = job.settings.of("n0-1")
    one = tuple(replace(near, radio_id=s.radio_id) if s.radio_id.endswith("-1") else s for s in job.settings.radios)
    chained = replace(chained, settings=replace(job.settings, radios=one))
    first, second = tree(House(chained), chained.settings).hops
    assert second.gets_mbps == pytest.approx(first.gets_mbps / 2, rel=0.08)
    two = with_second_radio(chained, link_only=False)
    by_second = replace(
        two.nodes[2],
        uplink=Uplink(to_node_id="node1", band="5 GHz", rssi_dbm=-50.0, radio_id="n2-link", to_radio_id="n1-link"),
    )
    two = replace(two, nodes=(*two.nodes[:2], by_second))
    first, second = tree(House(two), two.settings).hops
    assert second.gets_mbps > 0.8 * first.gets_mbps
    assert "halves" not in second.text


def test_a_repeater_under_another_name_is_used_only_where_nothing_else_reaches():
    job = random_house(17, nodes=2, neighbours=3, devices=8, zigbee_devices=0, radio_link=True)
    as_node = evaluate(job, job.settings)
    on_far = {d.device_id for d in as_node.devices if d.radio_id and d.radio_id.startswith("n1")}
    assert on_far
    repeater = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], kind="repeater")))
    figures = {d.device_id: d.radio_id for d in evaluate(repeater, job.settings).devices}
    for device in on_far:
        assert figures[device] is not None
    moved = [d for d in on_far if figures[d].startswith("n0")]
    assert moved
    # One that has joined it by hand stays on it.
    joined = replace(
        repeater, devices=tuple(replace(d, radio_id="n1-0") if d.id == moved[0] else d for d in repeater.devices)
    )
    assert next(d.radio_id for d in evaluate(joined, job.settings).devices if d.device_id == moved[0]) == "n1-0"
    found = tree(House(repeater), repeater.settings)
    assert "another name" in found.hops[0].text
    told = next(w for w in found.what_if if w.what.endswith("under the same name as the rest"))
    assert (told.problems, told.headroom) == (as_node.problems, as_node.headroom)
    assert any(w.what.endswith("without it") for w in found.what_if)
    # Of all that was tried one thing is said, and it is the best of them.
    (note,) = found.notes
    better = [w for w in found.what_if if w.node_id == "node1" and w.better]
    best = min((w.problems, -(w.headroom or 0.0)) for w in better)
    said = [w for w in better if f"Do this: {w.what.split(': ', 1)[1]} (" in note]
    assert [(w.problems, -(w.headroom or 0.0)) for w in said] == [best]


def test_a_cable_through_switches_is_as_fast_as_the_slowest():
    job = random_house(4, nodes=2, neighbours=0, devices=3, zigbee_devices=0)
    switches = (Switch("desk", "Desk switch", 100.0, "cellar"), Switch("cellar", "Cellar switch", 1000.0))
    job = replace(
        job,
        switches=switches,
        nodes=(job.nodes[0], replace(job.nodes[1], uplink=Uplink(to_node_id="node0", switch_id="desk"))),
    )
    validate_job(job)
    (hop,) = tree(House(job), job.settings).hops
    assert (hop.by, hop.switch_ids) == ("cable", ("desk", "cellar"))
    assert hop.gets_mbps == CABLE_SHARE * 100
    assert "through Desk switch and Cellar switch" in hop.text
    assert "lets 100 Mb/s through" in hop.text
    fast = replace(job, switches=(replace(switches[0], rate_mbps=1000.0), switches[1]))
    assert tree(House(fast), fast.settings).hops[0].gets_mbps == pytest.approx(min(CABLE_MBPS, CABLE_SHARE * 1000))


@pytest.mark.parametrize(
    ("uplink", "switches", "field"),
    [
        (Uplink(to_node_id="node0", switch_id="nowhere"), (), "nodes[1].uplink.switch_id"),
        (
            Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-60.0, switch_id="a"),
            (Switch("a", "a"),),
            "nodes[1].uplink.switch_id",
        ),
        (
            Uplink(to_node_id="node0"),
            (Switch("a", "a", 1000, "b"), Switch("b", "b", 1000, "a")),
            "switches[0].behind_switch_id",
        ),
        (Uplink(to_node_id="node0"), (Switch("a", "a", 1000, "a"),), "switches[0].behind_switch_id"),
        (Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-60.0, radio_id="n0-1"), (), "nodes[1].uplink.radio_id"),
        (
            Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-60.0, to_radio_id="n0-0"),
            (),
            "nodes[1].uplink.to_radio_id",
        ),
        (Uplink(to_node_id="ghost"), (), "nodes[1].uplink.to_node_id"),
        (Uplink(to_node_id="node1"), (), "nodes[1].uplink.to_node_id"),
    ],
)
def test_orphans_rings_and_wrong_ends_are_named(uplink, switches, field):
    job = random_house(4, nodes=2, neighbours=0, devices=0, zigbee_devices=0)
    job = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], uplink=uplink)), switches=switches)
    with pytest.raises(BadInput) as error:
        validate_job(job)
    assert error.value.field == field


def test_two_routers_are_a_finding_with_what_to_do():
    job = random_house(4, nodes=2, neighbours=0, devices=3, zigbee_devices=0)
    (note,) = tree(House(job), job.settings).notes
    assert "node 0 and node 1 each hang on the provider's line" in note
    assert "access-point or bridge mode" in note
    one = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], uplink=Uplink(to_node_id="node0"))))
    assert tree(House(one), one.settings).notes == ()


def test_a_radio_without_any_lawful_channel_is_said_and_switched_off():
    """Channel 13 alone, taken to a country that closes it: it is named as it is set, and no plan sends on it."""
    job = random_house(4, nodes=1, bands=("2.4 GHz",), neighbours=4, devices=3, zigbee_devices=0)
    radio = replace(job.nodes[0].radios[0], channels=(13,))
    setting = replace(job.settings.radios[0], channel=13, width_mhz=20, centre_mhz=None)
    job = replace(
        job,
        country="US",
        nodes=(replace(job.nodes[0], radios=(radio,)),),
        settings=replace(job.settings, radios=(setting,)),
    )
    now = evaluate(job, job.settings)
    assert now.violations == (f"{radio.id}: channel 13 at 20 MHz is not open to access points in US",)
    found = best_settings(House(job), Rules(), 1e12)
    assert not found.settings.radios[0].enabled
    assert found.evaluation.lawful
    assert {t.kind for t in found.evaluation.problem_list} == {"no link"}
