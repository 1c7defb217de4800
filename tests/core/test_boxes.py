"""A node of a kind is lawful from the start, has addresses of its own and hangs on the router."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from even_static.core.errors import BadInput
from even_static.core.house.boxes import with_node
from even_static.core.house.job import Job
from even_static.core.house.kit import Place
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.tables.boxes import NODE_KINDS
from even_static.core.tables.regulatory import country_codes

PLACES = (Place(id="hall", name="Hall"), Place(id="yard", name="Yard", outdoors=True))


@given(
    st.sampled_from(country_codes()),
    st.lists(st.tuples(st.sampled_from(NODE_KINDS), st.sampled_from(["hall", "yard"])), min_size=1, max_size=4),
)
def test_every_kind_starts_lawfully_in_every_country(code, wanted):
    job = Job(title="new", country=code, places=PLACES)
    for n, (kind, place) in enumerate(wanted):
        try:
            job = with_node(job, f"Box {n}", place, kind.name)
        except BadInput as error:
            assert error.field == "kind"
            continue
        node = job.nodes[-1]
        assert [r.band for r in node.radios] == [b for b in kind.bands if b in {r.band for r in node.radios}]
        assert all(int(r.bssid[:2], 16) & 2 for r in node.radios)
        assert (node.kind == "repeater") == kind.repeater
        # Nobody has read its link yet.
        assert node.uplink is None or node.uplink.rssi_dbm is None
    validate_job(job)
    if job.nodes:
        assert job.nodes[0].uplink is None
        assert all(n.uplink.to_node_id == job.nodes[0].id for n in job.nodes[1:])
        figures = evaluate(job, job.settings)
        # On channels that the law opens; a power step above a low limit is a finding, which the search puts right.
        assert all("radiates" in v or "dBm" in v for v in figures.violations)


def test_a_second_radio_of_a_band_is_the_link_s_and_widths_are_the_band_s():
    job = with_node(
        Job(title="new", country="NL", places=PLACES), "Box", "hall", "four radios, a second at 5 GHz for the link"
    )
    assert [(r.id, r.link_only) for r in job.nodes[0].radios] == [
        ("box-2.4", False),
        ("box-5", False),
        ("box-5-link", True),
        ("box-6", False),
    ]
    old = with_node(job, "Old", "hall", "dual band, 802.11ac").nodes[-1]
    assert [(r.generation, r.widths_mhz[-1]) for r in old.radios] == [("802.11n", 40), ("802.11ac", 80)]


def test_what_makes_no_node_is_refused():
    job = Job(title="new", country="NL", places=PLACES)
    with pytest.raises(BadInput, match="kind: must be a kind of node"):
        with_node(job, "Box", "hall", "a toaster")
    with pytest.raises(BadInput, match="place_id"):
        with_node(replace(job, places=()), "Box", "hall", NODE_KINDS[0].name)
