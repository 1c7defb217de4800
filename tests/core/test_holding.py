"""What holds a house back: its sentence carries the core's own figures."""

from __future__ import annotations

import re
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.explain.bottleneck import holding_back
from even_static.core.explain.reasons import radio_reasons
from even_static.core.model.evaluate import evaluate
from even_static.core.model.figures import arriving
from even_static.core.model.prepared_house import House


@settings(max_examples=25)
@given(st.integers(0, 5000), st.integers(1, 3))
def test_the_first_thing_to_know(seed, nodes):
    job = random_house(seed, nodes=nodes, neighbours=20, devices=10)
    house = House(job)
    figures, found = evaluate(house, job.settings), holding_back(house, job.settings)
    if figures.headroom is not None and figures.headroom < 1:
        assert found.subject_id == figures.headroom_radio_id
        why = radio_reasons(house, job.settings, found.subject_id)
        need, free = map(int, re.search(r"needs (\d+) ms of each second and has (\d+)", found.text).groups())
        assert need == round(why.need_fraction * 1000)
        assert free == round(why.available_fraction * 1000)
        # The part that is named is the largest of them all.
        named = int(re.search(r"takes? (\d+) ms", found.text).group(1))
        parts = [x.need_fraction for x in why.loads] + [why.busy_fraction]
        parts += [o.costs_fraction for o in why.own if o.shares]
        assert named == round(max(parts) * 1000)
    elif figures.worst_zigbee_delivery is not None and figures.worst_zigbee_delivery < 0.99:
        assert found.subject_id == figures.worst_zigbee_device_id
        assert arriving(figures.worst_zigbee_delivery) in found.text
    assert found.problem == (figures.problems > 0)


def test_a_quiet_house_is_held_back_by_nothing():
    job = random_house(3, nodes=1, neighbours=0, devices=0, zigbee_devices=0)
    assert holding_back(House(replace(job)), job.settings).text.startswith("nothing")


@settings(max_examples=15)
@given(st.integers(0, 5000))
def test_its_picture_adds_up_to_the_figures(seed):
    """A second of airtime: others, own radios on the channel and the radio's own loads; nothing is drawn twice."""
    job = random_house(seed, nodes=2, neighbours=20, devices=10)
    house = House(job)
    found = holding_back(house, job.settings)
    if found.of == "one second of airtime":
        why = radio_reasons(house, job.settings, found.subject_id)
        drawn = {k: sum(p.fraction for p in found.parts if p.kind == k) for k in ("others", "own", "this")}
        assert drawn["others"] == 1 - why.available_fraction
        assert drawn["own"] == sum(o.costs_fraction for o in why.own if o.shares)
        assert abs(drawn["this"] - sum(x.need_fraction for x in why.loads)) < 1e-9
    elif found.of:
        shares = [p.fraction for p in found.parts]
        assert shares == sorted(shares, reverse=True)
        assert {p.kind for p in found.parts} <= {"lost"}
