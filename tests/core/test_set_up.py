"""Set-up checks: each rule of the trade finds its fault and nothing else; rings are those of graph theory."""

from __future__ import annotations

import ipaddress
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from tests.houses import random_house

from even_static.core.checks.cabling import cabling, following, wiring_of
from even_static.core.checks.routing import private_kind
from even_static.core.checks.set_up import set_up
from even_static.core.errors import BadInput
from even_static.core.house.edit import with_past_following
from even_static.core.house.job import Subscription
from even_static.core.house.kit import Switch, Uplink
from even_static.core.house.readings import Scan, own_reading
from even_static.core.house.validate import validate_job
from even_static.core.house.wiring import Cable, EquipmentFacts, LineEquipment, Wiring

MODEM, GATEWAY = LineEquipment("modem", "Modem", "modem"), LineEquipment("gw", "Provider box", "provider's gateway")
GOOD = (
    EquipmentFacts(equipment_id="node0", mode="routes", own_admin_password=True),
    EquipmentFacts(equipment_id="node1", own_admin_password=True),
)
KNOWN = EquipmentFacts(equipment_id="modem", own_admin_password=True)


def facts(equipment_id, mode, line_address=None):
    """One piece's facts, behind a password of its own."""
    return EquipmentFacts(equipment_id=equipment_id, mode=mode, line_address=line_address, own_admin_password=True)


def house(boxes=(MODEM,), cables=(("modem", "node0"), ("node0", "node1")), facts=(), switches=(), **more):
    """Two nodes, the second on a cable to the first, wired as told; everything else in order."""
    job = random_house(3, nodes=2, neighbours=0, devices=2, zigbee_devices=0)
    nodes = tuple(
        replace(n, name=n.id, uplink=Uplink(to_node_id="node0") if i else None) for i, n in enumerate(job.nodes)
    )
    told = {
        f.equipment_id: f
        for f in (*GOOD, KNOWN if MODEM in boxes else EquipmentFacts(equipment_id="gw", own_admin_password=True))
    }
    told |= {f.equipment_id: f for f in facts}
    wiring = Wiring(
        line_equipment=tuple(boxes),
        cables=tuple(Cable(a, b) for a, b in cables),
        facts=tuple(told.values()),
        same_password=True,
        guests_apart=True,
    )
    job = replace(job, nodes=nodes, wiring=wiring, switches=tuple(Switch(s, s) for s in switches), building=None)
    job = replace(job, scans=(), **more)
    validate_job(job)
    return job


def titles(job, *topics):
    return [(f.urgency, f.title) for f in set_up(job).findings if f.topic in topics or not topics]


def test_a_house_in_order_has_no_findings():
    assert titles(house()) == []
    assert titles(house(cables=(("modem", "node0"), ("node0", "sw"), ("sw", "node1")), switches=("sw",))) == []


@pytest.mark.parametrize(
    ("changed", "wanted"),
    [
        # Common practice: one router, directly behind the modem, before any switch; nodes anywhere after it.
        ({"boxes": (GATEWAY,), "cables": (("gw", "node0"), ("node0", "node1")), "facts": (
            EquipmentFacts(equipment_id="gw", mode="routes", sends_wifi=False, own_admin_password=True),)},
         "node0 routes behind Provider box"),
        ({"cables": (("modem", "sw"), ("sw", "node0"), ("node0", "node1")), "switches": ("sw",)},
         "sw stands before the router"),
        ({"cables": (("modem", "sw"), ("sw", "node0"), ("sw", "node1")), "switches": ("sw",)},
         "node1 hangs before the router"),
        ({"cables": (("modem", "sw"), ("sw", "node0"), ("sw", "node1")), "switches": ("sw",), "facts": (
            EquipmentFacts(equipment_id="node1", mode="routes", own_admin_password=True),)},
         "node0 and node1 route side by side"),
        ({"cables": (("modem", "node0"), ("node0", "sw"), ("sw", "node1"), ("node1", "node0")), "switches": ("sw",)},
         "A ring of cables"),
        ({"facts": (facts("node0", "access point"),)}, "Nothing routes"),
        ({"boxes": (GATEWAY,), "cables": (("gw", "node0"), ("node0", "node1")), "facts": (
            EquipmentFacts(equipment_id="gw", mode="passes through", sends_wifi=True, own_admin_password=True),)},
         "Provider box sends its own Wi-Fi beside the nodes"),
        ({"facts": (facts("node0", "routes", "192.168.4.2"),)},
         "Double NAT: node0 is behind another router"),
        ({"facts": (EquipmentFacts(equipment_id="node1", own_admin_password=False),)}, "Factory password on node1"),
        ({"facts": (EquipmentFacts(equipment_id="node1", remote_management=True, own_admin_password=True),)},
         "node1 can be managed from the internet"),
    ],
)  # fmt: skip
def test_each_fault_is_found_with_what_to_do(changed, wanted):
    shown = set_up(house(**changed))
    found = [f for f in shown.findings if f.urgency == "recommended"]
    assert shown.text.startswith(f"{len(found)} recommended")
    first = next((f for f in found if f.title.startswith(wanted)), None)
    assert first is not None, [f.title for f in found]
    assert first.do
    assert first.why
    assert first.evidence
    assert first.sure >= 0.8


def test_pass_through_and_access_point_mode_end_the_double_router():
    cables = (("gw", "node0"), ("node0", "node1"))
    passing = EquipmentFacts(equipment_id="gw", mode="passes through", sends_wifi=False, own_admin_password=True)
    assert titles(house((GATEWAY,), cables, (passing,))) == []
    point = EquipmentFacts(equipment_id="node0", mode="access point", own_admin_password=True)
    routing = EquipmentFacts(equipment_id="gw", mode="routes", sends_wifi=False, own_admin_password=True)
    assert titles(house((GATEWAY,), cables, (routing, point))) == []


def test_a_box_that_was_only_just_drawn_does_not_take_the_line_from_the_others():
    cables = (("gw", "node0"), ("node0", "node1"))
    passing = EquipmentFacts(equipment_id="gw", mode="passes through", sends_wifi=False, own_admin_password=True)
    job = house((MODEM, GATEWAY), cables, (passing, KNOWN))
    assert titles(job) == [("ask", "Nothing leads to Modem")]
    joined = house((MODEM, GATEWAY), (("modem", "gw"), *cables), (passing, KNOWN))
    assert titles(joined) == []
    assert [b.id for b in cabling(joined).boxes] == ["modem", "gw", "node0", "node1"]


def test_what_nobody_has_said_is_asked_about_and_never_called_a_fault():
    job = replace(
        house(
            (GATEWAY,), (("gw", "node0"),), (EquipmentFacts(equipment_id="gw"), EquipmentFacts(equipment_id="node1"))
        ),
        country="NL",
    )
    found = set_up(job).findings
    assert {f.urgency for f in found} == {"ask"}
    assert set_up(job).text == f"{len(found)} to ask about"
    assert all(f.sure == 0 for f in found)
    assert ("ask", "Nothing leads to node1") in titles(job)
    assert ("ask", "Where does the cable of node1 go?") in titles(job)


@given(st.ip_addresses(v=4))
def test_private_addresses_are_those_of_rfc_1918_and_rfc_6598(address):
    """RFC 1918 section 3 and RFC 6598 section 7 give these blocks; other private ones are only special purpose."""
    blocks = [ipaddress.ip_network(n) for n in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16")]
    if any(address in b for b in blocks):
        assert private_kind(str(address)) == "private"
    assert (private_kind(str(address)) == "shared") == (address in ipaddress.ip_network("100.64.0.0/10"))


@pytest.mark.parametrize(
    ("text", "kind"),
    [("172.31.255.254", "private"), ("172.32.0.1", ""), ("100.64.0.1", "shared"), ("9.9.9.9", ""), ("fe80::1", ""),
     ("127.0.0.1", ""), ("no address", "")],
)  # fmt: skip
def test_addresses_at_the_edges(text, kind):
    assert private_kind(text) == kind


@st.composite
def wirings(draw):
    names = [f"s{n}" for n in range(draw(st.integers(1, 6)))]
    ends = ["modem", "node0", "node1", *names]
    pairs = draw(st.sets(st.tuples(st.sampled_from(ends), st.sampled_from(ends)), max_size=14))
    return names, sorted({tuple(sorted(p)) for p in pairs if p[0] != p[1]})


@settings(max_examples=80)
@given(wirings())
def test_rings_are_as_many_as_graph_theory_has_and_a_house_follows_its_drawing(drawn):
    """The number of independent rings is edges - vertices + components (counted by scipy)."""
    names, cables = drawn
    job = house(cables=cables, switches=tuple(names))
    ends = ["modem", "node0", "node1", *names]
    index = {e: i for i, e in enumerate(ends)}
    rows, columns = ([index[c[k]] for c in cables] for k in (0, 1))
    matrix = coo_matrix((np.ones(len(cables)), (rows, columns)), shape=(len(ends), len(ends)))
    count, _ = connected_components(matrix, directed=False)
    found = cabling(job)
    assert len(found.rings) == len(cables) - len(ends) + count
    assert {b.id for b in found.boxes} == set(ends)
    followed = following(job)
    validate_job(followed)
    assert following(followed) == followed
    for box in found.boxes:
        way = found.path(box.id)
        assert len(set(way)) == len(way)
        assert box.hops is None or len(way) == box.hops + 1


def test_the_nodes_follow_the_cables_and_cables_leave_with_their_boxes():
    job = house(cables=(("modem", "node0"), ("node0", "a"), ("a", "b"), ("b", "node1")), switches=("a", "b"))
    job = replace(
        job,
        nodes=(job.nodes[0], replace(job.nodes[1], uplink=Uplink(to_node_id="node0", band="5 GHz", rssi_dbm=-60.0))),
    )
    assert ("recommended", "node1 has a cable and a radio link") in titles(job, "backhaul")
    after = following(job)
    assert after.nodes[1].uplink == Uplink(to_node_id="node0", switch_id="b")
    assert next(s for s in after.switches if s.id == "b").behind_switch_id == "a"
    assert {frozenset((c.a_id, c.b_id)) for c in wiring_of(replace(after, wiring=None)).cables} == {
        frozenset(p) for p in (("node0", "a"), ("a", "b"), ("b", "node1"))
    }
    gone = with_past_following(replace(after, nodes=after.nodes[:1], switches=after.switches[:1]))
    assert {frozenset((c.a_id, c.b_id)) for c in gone.wiring.cables} == {
        frozenset(p) for p in (("modem", "node0"), ("node0", "a"))
    }
    with pytest.raises(BadInput, match=r"wiring\.cables\[0\]\.b_id"):
        validate_job(replace(job, wiring=Wiring(cables=(Cable("node0", "node0"),))))


def test_own_networks_are_judged_by_what_was_heard():
    job = house()
    radio = job.nodes[1].radios[0]
    heard = own_reading(radio, job.settings.of(radio.id), -40.0)
    bad = replace(heard, security="WEP", ssid="", country="JP")
    job = replace(
        job,
        scans=(
            Scan(
                id="a",
                place_id=job.places[0].id,
                heard_at="2026-03-02T20:00:00Z",
                source="test",
                bands=(radio.band,),
                readings=(bad,),
            ),
        ),
    )
    said = titles(job, "security", "lawful")
    assert ("recommended", "Own network announces WEP") in said
    assert ("optional", "A network's name is hidden") in said
    assert ("recommended", f"{job.nodes[1].name} announces another country (JP)") in said
    fine = replace(heard, security="WPA2/WPA3", ssid="name", country=job.country)
    assert titles(replace(job, scans=(replace(job.scans[0], readings=(fine,)),))) == []


def test_the_provider_s_wi_fi_is_heard_where_its_box_stands():
    gateway = replace(GATEWAY, place_id="p0")
    facts = (EquipmentFacts(equipment_id="gw", mode="passes through", own_admin_password=True),)
    job = house((gateway,), (("gw", "node0"), ("node0", "node1")), facts)
    assert ("ask", "Does Provider box send its own Wi-Fi?") in titles(job)
    radio = job.nodes[0].radios[0]
    own = own_reading(radio, job.settings.of(radio.id), -30.0)
    other = replace(own, bssid="02:aa:00:00:00:01", ssid="somebody")
    scan = Scan(
        id="a",
        place_id="p0",
        heard_at="2026-03-02T20:00:00Z",
        source="test",
        bands=(radio.band,),
        readings=(own, other),
    )
    found = [f for f in set_up(replace(job, scans=(scan,))).findings if f.topic == "names"]
    assert [(f.urgency, f.title) for f in found] == [("optional", "Provider box may send its own Wi-Fi")]
    assert "somebody" not in str(found)
    far = replace(scan, readings=(own, replace(other, rssi_dbm=-60.0)))
    assert ("ask", "Does Provider box send its own Wi-Fi?") in titles(replace(job, scans=(far,)))


def test_unlawful_power_slow_switches_and_names_that_differ():
    job = house(cables=(("modem", "node0"), ("node0", "sw"), ("sw", "node1")), switches=("sw",))
    job = replace(job, switches=(Switch("sw", "sw", 100.0),), subscription=Subscription(500.0, 50.0))
    assert ("optional", "sw is slower than the line") in titles(job)
    radios = (replace(job.settings.radios[0], eirp_dbm=36.0), *job.settings.radios[1:])
    loud = replace(job, settings=replace(job.settings, radios=radios))
    assert any(t.startswith("node0 radiates more") for _, t in titles(loud, "lawful"))
    other = tuple(replace(r, ssid="another") for r in job.nodes[1].radios)
    split = replace(job, nodes=(job.nodes[0], replace(job.nodes[1], radios=other)))
    assert any(t.startswith("Nodes differ in their name") for _, t in titles(split, "names"))
