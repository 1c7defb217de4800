"""What each network sends itself, of what all of them broadcast of their channels."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.houses import network, random_house

from even_static.core.airtime.frames import beacon_airtime_fraction
from even_static.core.explain.air_view import air_view
from even_static.core.model.prepared_house import House
from even_static.core.model.sent_airtime import OwnTraffic, sent_by_others
from even_static.core.model.spectra import in_the_busy_hour
from even_static.core.spectrum.channels import block_for
from even_static.core.survey.air import Air, air
from even_static.core.tables.bands import Band
from even_static.core.tables.worlds import MOST_DUTY

NS3 = Path(__file__).parent.parent / "reference" / "ns3_busy.txt"


def heard(told: list[tuple[int, float, float | None]], hour_load: float = 1.0, band: Band = "2.4 GHz") -> Air:
    """An air of networks of 20 MHz, heard at one place: (channel, level in dBm, channel use or None) of each."""
    job = random_house(1, nodes=1, bands=(band,), neighbours=0, devices=0, zigbee_devices=0, places=1)
    networks = tuple(network(n, *one, band) for n, one in enumerate(told))
    found = air(replace(job, scans=(replace(job.scans[0], readings=networks),)))
    assert [n.bssid for n in found.networks] == sorted(n.bssid for n in networks)
    return replace(found, hour_load=np.full(len(told), hour_load))


def own_radio(channel: int, need: float, band: Band = "2.4 GHz") -> OwnTraffic:
    return OwnTraffic(place=0, block=block_for(band, channel, 20), eirp_dbm=20.0, need_fraction=need)


def test_a_network_alone_on_its_channel_sends_what_it_broadcasts():
    assert sent_by_others(heard([(1, -60.0, 0.3), (6, -60.0, 0.5)]), []) == pytest.approx([0.3, 0.5], abs=0.002)


@pytest.mark.parametrize("count", [2, 3, 6])
def test_networks_that_all_hear_each_other_broadcast_the_same_sum(count):
    """IEEE 802.11-2020 9.4.2.27 (from memory): the channel is busy by everybody's frames. Of n alike that hear each
    other, each broadcasts what all of them send."""
    sent = sent_by_others(heard([(6, -40.0, 0.6)] * count), [])
    assert sent == pytest.approx([0.6 / count] * count, rel=0.02)


def test_networks_far_apart_do_not_hear_each_other():
    weak = sent_by_others(heard([(6, -88.0, 0.4), (6, -88.0, 0.4)]), [])
    strong = sent_by_others(heard([(6, -45.0, 0.4), (6, -45.0, 0.4)]), [])
    assert weak.sum() > 0.6 > strong.sum()


def test_one_that_broadcasts_nothing_is_no_more_than_those_that_hear_it_leave_room_for():
    usual = sent_by_others(heard([(1, -50.0, None)]), [])[0]
    beside_quiet = sent_by_others(heard([(1, -50.0, None), (1, -50.0, 0.01)]), [])[0]
    assert usual == pytest.approx(0.08)
    assert beside_quiet < 0.4 * usual


def test_the_household_s_own_traffic_does_not_count_twice():
    told = [(6, -50.0, 0.5)]
    assert sent_by_others(heard(told), [own_radio(6, 0.3)])[0] == pytest.approx(0.2, abs=0.03)
    # Heard when the household carried a quarter of its busiest hour: so much of it is in the figure.
    assert sent_by_others(heard(told, 0.25), [own_radio(6, 0.3)])[0] == pytest.approx(0.425, abs=0.03)
    # On another channel it is not in it, and what it wants beyond the channel it does not get.
    assert sent_by_others(heard(told), [own_radio(11, 0.3)])[0] == pytest.approx(0.5, abs=0.01)
    assert 0.05 < sent_by_others(heard(told), [own_radio(6, 5.0)])[0] < 0.25


def test_what_ns3_s_access_points_find_busy_is_dealt_out_to_those_who_send():
    """ns-3.37, 802.11a: three to six households on one channel, each with traffic of its own, those that do not hear
    each other too (tests/reference/ns3_busy.cc). Levels here by the scene's own loss, 46.7 dB at 1 m and 35 dB a decade
    from 20 dBm; the first one is the household's own."""
    scenes: dict[str, list[tuple[float, float, float]]] = {}
    for line in NS3.read_text().splitlines():
        scene, x_m, y_m, sent, busy = line.split()
        level = 20 - 46.7 - 35 * math.log10(max(1.0, math.hypot(float(x_m), float(y_m))))
        scenes.setdefault(scene, []).append((level, float(sent), float(busy)))
    assert len(scenes) == 24
    each, together, highest, added = [], [], [], []
    beacons = beacon_airtime_fraction("5 GHz")
    for (_, ours, _), *others in scenes.values():
        told = [busy for _, _, busy in others]
        true = np.array([sent for _, sent, _ in others])
        found = sent_by_others(
            heard([(36, level, busy) for level, _, busy in others], band="5 GHz"),
            [own_radio(36, ours - beacons, "5 GHz")],
        )
        each += list(abs(found - true))
        together.append(abs(found.sum() - true.sum()))
        highest.append(abs(max(told) - true.sum()))
        added.append(abs(min(sum(told), 1.0) - true.sum()))
    assert np.mean(each) < 0.065
    assert np.mean(together) < 0.075
    assert np.mean(together) < np.mean(highest) < np.mean(added)


@given(
    st.lists(
        st.tuples(st.integers(1, 13), st.floats(-95, -30), st.none() | st.floats(0, 1)), min_size=1, max_size=12
    ).map(lambda rows: sorted(rows, key=lambda r: r[0])),
    st.floats(0, 3),
)
def test_nobody_sends_less_than_nothing_or_more_than_its_figure(told, need):
    found = heard(told)
    sent = sent_by_others(found, [own_radio(6, need)])
    assert (sent >= 0).all()
    assert (sent <= np.where(found.assumed, 1.0, found.use_fraction) + 1e-12).all()


def test_the_busy_hour_brings_more_than_a_quiet_one_and_never_more_than_there_is():
    """Of a street's busiest hour half is carried at noon (common practice, tables/daily.py)."""
    found = heard([(1, -60.0, 0.2), (6, -60.0, 0.6), (11, -60.0, None)], 0.5)
    assert in_the_busy_hour(found, np.array([0.2, 0.6, 0.08])) == pytest.approx([0.4, MOST_DUTY, 0.08])
    assert in_the_busy_hour(found, np.array([0.2, 0.95, 0.08]))[1] == pytest.approx(0.95)


def test_a_house_is_worked_out_for_the_busy_hour_or_as_it_was_heard():
    job = random_house(4, neighbours=12)
    noon = replace(job, scans=tuple(replace(s, heard_at="2026-03-02T12:00:00Z") for s in job.scans))
    busy, quiet = House(noon), House(noon, as_heard=True)
    told = ~busy.air.assumed[busy.in_band["2.4 GHz"]]
    now, then = (h.spectra("2.4 GHz").use[: len(told)][told] for h in (quiet, busy))
    assert (then >= now - 1e-12).all()
    assert then.sum() > 1.2 * now.sum()
    assert np.array_equal(busy.spectra("2.4 GHz", as_heard=True).use, quiet.spectra("2.4 GHz").use)


def test_what_is_changed_on_paper_leaves_what_neighbours_send():
    job = random_house(4, neighbours=12, devices=8)
    house = House(job)
    silent = replace(job, devices=tuple(replace(d, demand_down_mbps=0.0, demand_up_mbps=0.0) for d in job.devices))
    assert np.array_equal(house.changed(silent).air.sent_fraction, house.air.sent_fraction)
    assert not np.array_equal(House(silent).air.sent_fraction, house.air.sent_fraction)
    # A device that is not bought yet sent nothing while somebody listened.
    wish = replace(job.devices[0], id="wish", demand_down_mbps=200.0, planned=True)
    planned = replace(job, devices=(*job.devices, wish))
    assert np.array_equal(House(planned).air.sent_fraction, house.air.sent_fraction)
    bought = replace(job, devices=(*job.devices, replace(wish, planned=False)))
    assert not np.array_equal(House(bought).air.sent_fraction, house.air.sent_fraction)


def test_airtime_that_nobody_announced_is_said_to_be_assumed():
    job = random_house(3, nodes=1, neighbours=40)
    own = {r.bssid for r in job.radios}

    def announcing(use):
        """The job with everybody else announcing the same channel use."""
        return replace(
            job,
            scans=tuple(
                replace(
                    s,
                    readings=tuple(r if r.bssid in own else replace(r, channel_use_fraction=use) for r in s.readings),
                )
                for s in job.scans
            ),
        )

    told_of, untold_of = (
        [
            c
            for place in j.places
            for sheet in air_view(House(j), j.settings, place.id).sheets
            for c in sheet.channels
            if c.busy_fraction > 0
        ]
        for j in (announcing(0.2), announcing(None))
    )
    assert told_of
    assert untold_of
    assert not any(c.assumed for c in told_of)
    assert all(c.assumed for c in untold_of)
