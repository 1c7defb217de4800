"""Other 2.4 GHz sources: its place on the spectrum, its price, energy that nothing explains, the Thread mesh."""

from __future__ import annotations

from dataclasses import asdict, replace

import networkx as nx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.core.explain.other_sources import air_users
from even_static.core.explain.reasons import radio_reasons, zigbee_reasons
from even_static.core.house.mesh import MeshDevice, MeshLink
from even_static.core.house.other_sources import (
    ChannelEnergy,
    EnergyScan,
    HeardAt,
    OtherSource,
    PanHeard,
    Thread,
)
from even_static.core.house.validate import validate_job
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import Rules
from even_static.core.search.plan import best_settings
from even_static.core.survey.other_sources import in_use, others_of
from even_static.core.tables.other_sources import USUAL

NOW = "2026-03-02T19:00:00Z"


def quiet(seed: int = 5, **more):
    """A house with hardly a neighbour: what changes is the sender's doing."""
    return random_house(seed, nodes=1, neighbours=0, devices=4, zigbee_devices=5, **more)


def with_source(job, kind="microwave oven", level=-45.0, **more):
    heard = tuple(HeardAt(p.id, level) for p in job.places)
    return replace(
        job, other_sources=(OtherSource(id="x", name="the thing", kind=kind, place_id="p0", heard_at=heard, **more),)
    )


def on(job, channel: int, zigbee: int):
    first = replace(job.settings.radios[0], channel=channel, width_mhz=20, centre_mhz=None)
    return replace(job.settings, radios=(first, *job.settings.radios[1:]), zigbee_channel=zigbee)


def silent(job, zigbee: int):
    """Own 2.4 GHz radio off: what spoils a report is then the sender's doing alone."""
    setting = on(job, 1, zigbee)
    return replace(setting, radios=(replace(setting.radios[0], enabled=False), *setting.radios[1:]))


def test_an_oven_takes_its_half_of_the_air_from_the_channels_it_covers():
    """Common practice: an oven sends for half of each mains cycle, in the upper half of the band."""
    job = quiet()
    there = House(with_source(job))
    bare = House(job)
    for channel, loses in ((11, True), (1, False)):
        before = evaluate(bare, on(job, channel, 15)).radios[0].available_fraction
        after = evaluate(there, on(job, channel, 15)).radios[0].available_fraction
        assert (after <= 0.55 * before) == loses
    # It takes no turns: no fair share is left against it, as there is against a network.
    always = House(with_source(job, duty_fraction=1.0))
    assert evaluate(always, on(job, 11, 15)).radios[0].available_fraction == pytest.approx(0.02)


def test_an_oven_spoils_zigbee_near_it_and_not_far_below_it():
    job = quiet()
    there = House(with_source(job, level=-40.0))
    worst = {z: evaluate(there, silent(job, z)).worst_zigbee_delivery for z in (11, 20, 21, 22)}
    bare = {z: evaluate(House(job), silent(job, z)).worst_zigbee_delivery for z in (11, 20, 21, 22)}
    for z in (20, 21, 22):  # 2450 to 2460 MHz
        assert worst[z] < bare[z] - 0.05
    assert bare[11] - worst[11] < bare[21] - worst[21]


def test_bluetooth_hops_so_each_stretch_gets_a_quarter():
    lines = USUAL["Bluetooth"].lines
    assert sum(line.share for line in lines) == pytest.approx(1.0)
    others = others_of(with_source(quiet(), "Bluetooth", duty_fraction=0.32))
    np.testing.assert_allclose(others.use_fraction, 0.08)
    assert (others.centre_mhz.min(), others.centre_mhz.max()) == (2412, 2472)
    job = with_source(quiet(), "Bluetooth", -50.0, duty_fraction=0.4)
    lost = evaluate(House(quiet()), on(job, 1, 15)).radios[0].available_fraction
    lost -= evaluate(House(job), on(job, 1, 15)).radios[0].available_fraction
    assert lost == pytest.approx(0.1, abs=0.02)


@pytest.mark.parametrize(
    ("hours", "used", "unused"),
    [((0, 24), (0, 12, 23), ()), ((18, 20), (18, 19), (17, 20, 3)), ((22, 6), (23, 0, 5), (6, 12, 21))],
)
def test_hours_of_use(hours, used, unused):
    sender = OtherSource(id="x", name="x", kind="microwave oven", place_id="p0", from_hour=hours[0], to_hour=hours[1])
    assert all(in_use(sender, h) for h in used)
    assert not any(in_use(sender, h) for h in unused)
    assert in_use(sender, None)


def test_what_a_sender_costs_is_the_house_with_it_running_and_without_it():
    job = with_source(quiet(), level=-35.0, running_fraction=0.1)
    setting = silent(job, 21)
    found = air_users(House(job), setting)
    (figure,) = found.senders
    always = replace(job.other_sources[0], running_fraction=1.0)
    running = evaluate(House(replace(job, other_sources=(always,))), setting)
    gone = evaluate(House(replace(job, other_sources=())), setting)
    assert (figure.problems_running, figure.headroom_running) == (running.problems, running.headroom)
    assert (figure.problems_without, figure.zigbee_without) == (gone.problems, gone.worst_zigbee_delivery)
    assert figure.hour_fraction == pytest.approx(0.05)
    assert figure.problems_running > figure.problems_without
    assert "while the thing runs" in found.text
    assert USUAL["microwave oven"].advice in found.text


def test_the_search_moves_away_from_a_camera_that_never_stops():
    """An analogue camera in the middle of the band: the plan leaves its spectrum, and says in its reasons why."""
    job = quiet(8)
    job = with_source(replace(job, settings=on(job, 6, 16)), "analogue camera", -50.0)
    found = best_settings(House(job), Rules(), 1e12)
    assert found.proven
    setting = found.settings.radios[0]
    assert abs(2407 + 5 * setting.channel - USUAL["analogue camera"].lines[0].centre_mhz) >= 20
    why = radio_reasons(House(job), job.settings, job.radios[0].id)
    interferer = next(r for r in why.interferers if not r.wifi)
    assert (interferer.ssid, interferer.bssid, interferer.counted_fraction) == ("the thing", "x", 1.0)


def test_other_people_s_zigbee_counts_on_its_channel_and_the_own_does_not():
    job = quiet()
    pans = tuple(
        PanHeard(
            id=f"h{i}",
            place_id="p0",
            heard_at=NOW,
            source="sniffer",
            pan_id=pan,
            channel=20,
            frames=500,
            airtime_fraction=0.4,
            rssi_dbm=-50.0,
            own=own,
        )
        for i, (pan, own) in enumerate((("0x0001", False), ("0x0002", True)))
    )
    heard = replace(job, pans=pans)
    worst = [evaluate(House(heard), silent(job, z)).worst_zigbee_delivery for z in (20, 25)]
    bare = [evaluate(House(job), silent(job, z)).worst_zigbee_delivery for z in (20, 25)]
    assert worst[0] < bare[0] - 0.01
    assert worst[1] == pytest.approx(bare[1], abs=1e-3)
    own = evaluate(House(replace(job, pans=pans[1:])), silent(job, 20)).worst_zigbee_delivery
    assert own == bare[0]
    assert "another 802.15.4 network sends on channel 20" in air_users(House(heard), silent(job, 20)).text


def test_energy_that_nothing_explains_is_told_and_counted():
    job = quiet()
    job = replace(job, settings=on(job, 1, 15))
    levels = (ChannelEnergy(11, -30.0), ChannelEnergy(24, -55.0), ChannelEnergy(26, -96.0))
    scanned = replace(
        job, energy_scans=(EnergyScan(id="s", place_id="p0", scanned_at=NOW, source="hub", levels=levels),)
    )
    found = {e.channel: e for e in air_users(House(scanned), scanned.settings).energy}
    assert found[11].by == f"own radio {job.radios[0].id}"
    assert not found[11].unexplained
    assert found[24].unexplained
    assert not found[26].unexplained
    assert air_users(House(scanned), scanned.settings).text.endswith("look for what sends there")
    on_it = silent(job, 24)
    assert evaluate(House(scanned), on_it).worst_zigbee_delivery < evaluate(House(job), on_it).worst_zigbee_delivery


def thread_of(job, channel: int) -> Thread:
    devices = tuple(MeshDevice(f"t{i}", f"t{i}", f"p{i + 1}", i < 2) for i in range(4))
    links = [MeshLink("border", "t0", -62.0), MeshLink("border", "t1", -75.0), MeshLink("t0", "t2", -70.0)]
    links += [MeshLink("t1", "t3", -80.0), MeshLink("t0", "t1", -66.0)]
    return Thread("p0", channel, devices, tuple(links))


def test_a_thread_mesh_is_on_the_same_plan_and_keeps_its_channel():
    """Its delivery is what the same devices would have as a Zigbee mesh on that channel; routes held to networkx."""
    job = replace(quiet(11), settings=on(quiet(11), 6, 25))
    job = replace(job, thread=thread_of(job, 17))
    figures = {z.device_id: z.delivery for z in evaluate(House(job), job.settings).zigbee}
    assert set(figures) == {*(d.id for d in job.zigbee.devices), "t0", "t1", "t2", "t3"}
    alone = replace(
        job,
        thread=None,
        zigbee=replace(
            job.zigbee,
            hub_place_id="p0",
            devices=job.thread.devices,
            links=tuple(MeshLink(li.a_id.replace("border", "hub"), li.b_id, li.rssi_dbm) for li in job.thread.links),
        ),
    )
    same = {z.device_id: z.delivery for z in evaluate(House(alone), on(job, 6, 17)).zigbee}
    for device in ("t0", "t1", "t2", "t3"):
        assert figures[device] == pytest.approx(same[device])
    graph = nx.Graph()
    for device in job.thread.devices:
        hops = zigbee_reasons(House(job), job.settings, device.id)
        graph.add_edges_from((h.via_id, device.id, {"cost": -np.log(h.hop_delivery)}) for h in hops)
    for device in job.thread.devices:
        way = nx.dijkstra_path_length(graph, "border", device.id, "cost")
        assert np.exp(-way) == pytest.approx(figures[device.id], rel=1e-9)


def test_two_meshes_on_one_channel_take_each_other_s_air():
    job = quiet(11)
    job = replace(job, thread=thread_of(job, 17))
    apart = evaluate(House(job), on(job, 1, 25))
    shared = evaluate(House(job), on(job, 1, 17))
    thread = [z.delivery for z in apart.zigbee][-4:]
    assert all(b <= a for a, b in zip(thread, [z.delivery for z in shared.zigbee][-4:], strict=True))


@settings(max_examples=12)
@given(st.integers(0, 10**6), st.sampled_from([11, 15, 20, 25]))
def test_with_thread_the_search_still_equals_evaluate_and_nothing_is_better(seed: int, channel: int):
    job = random_house(seed, nodes=1, bands=("2.4 GHz",), neighbours=8, devices=3, zigbee_devices=3)
    job = replace(job, thread=thread_of(job, channel))
    validate_job(job)
    house = House(job)
    found = best_settings(house, Rules(), 1e12)
    assert found.proven
    fresh = evaluate(House(job), found.settings)
    assert found.evaluation.rank == fresh.rank
    assert found.evaluation.zigbee == fresh.zigbee
    for kept, new in zip(found.evaluation.radios, fresh.radios, strict=True):
        assert asdict(kept) == pytest.approx(asdict(new))  # sums over other shapes differ in the last bit
    for z in job.zigbee.selectable_channels:
        for wifi in (1, 6, 11, 13):
            assert evaluate(house, on(job, wifi, z)).rank >= found.evaluation.rank


def test_a_house_with_thread_alone_is_searched_too():
    job = quiet(11)
    job = replace(job, zigbee=None, settings=replace(job.settings, zigbee_channel=None), thread=thread_of(job, 22))
    validate_job(job)
    found = best_settings(House(job), Rules(), 1e12)
    assert len(found.evaluation.zigbee) == 4
    assert found.settings.zigbee_channel is None
    assert found.evaluation.rank <= evaluate(House(job), job.settings).rank


BLUETOOTH = OtherSource(id="x", name="x", kind="Bluetooth", place_id="nowhere")
HUB = MeshDevice("hub", "h", "p0")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"other_sources": (BLUETOOTH,)}, "other_sources[0].place_id"),
        ({"thread": Thread("nowhere", 15)}, "thread.border_place_id"),
        ({"thread": Thread("p0", 15, (HUB,))}, "thread.devices"),
        ({"thread": Thread("p0", 15, (), (MeshLink("border", "t9", -60.0),))}, "thread.links[0].b_id"),
    ],
)
def test_what_leads_nowhere_is_named(more, said):
    with pytest.raises(BadInput) as error:
        validate_job(replace(quiet(), **more))
    assert error.value.field == said
