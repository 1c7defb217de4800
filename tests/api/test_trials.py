"""Trials over HTTP: planned, run on the nodes turn by turn, stopped, taken by hand; the boxes end as they were."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.api.test_the_work import finished
from tests.conftest import local_client

from even_static.api.practice.world import keep_world, world_of
from even_static.core.change.ab_tests import arm_at, plan_of, result_of


@pytest.fixture
def client(demo_store, app_over):
    return local_client(app_over(demo_store))


@pytest.fixture
def call(demo_store):
    return demo_store.add(replace(demo_store.get(2).job, title="a trial")).id


def wanted(client, call, **more):
    settings = client.get(f"/api/calls/{call}").json()["job"]["settings"]
    body = {"name": "hub on 25", "measure": "Zigbee reports lost", "b_name": "channel 25", "worth_fraction": 0.5}
    return {**body, "b_settings": {**settings, "zigbee_channel": 25}, **more}


def test_a_trial_is_planned_run_and_judged_and_the_boxes_are_set_back(client, call, demo_store):
    body = wanted(client, call)
    plan = client.post(f"/api/calls/{call}/ab-tests/plan", json=body).json()
    made = client.post(f"/api/calls/{call}/ab-tests", json=body)
    assert made.status_code == 201, made.text
    (ab_test,) = demo_store.get(call).job.ab_tests
    assert plan["blocks"] == plan_of(demo_store.get(call).job, ab_test).blocks
    before = demo_store.get(call).job.settings
    task = finished(client, client.post(f"/api/calls/{call}/ab-tests/{ab_test.id}/run").json()["id"])
    assert task["state"] == "done", task
    assert task["notes"][-1] == "the nodes are set as before the A/B test"
    (ab_test,) = demo_store.get(call).job.ab_tests
    assert [v.arm for v in ab_test.arm_runs] == [arm_at(n) for n in range(len(ab_test.arm_runs))]
    assert len(ab_test.arm_runs) % 4 == 0
    (shown,) = client.get(f"/api/calls/{call}/ab-tests").json()
    own = result_of(ab_test)
    assert shown["result"]["advice"] == own.advice == "keep B"
    assert (shown["result"]["ratio"], shown["result"]["low"]) == (own.ratio, own.low)
    assert own.ratio < 1
    assert shown["next_arm"] is None
    assert demo_store.get(call).job.settings == before
    service = client.app.state.service
    assert world_of(service, demo_store.get(call)).state.settings.zigbee_channel == before.zigbee_channel


def test_a_stop_before_the_first_turn_has_begun_ends_after_that_turn(client, call, demo_store):
    client.post(f"/api/calls/{call}/ab-tests", json=wanted(client, call))
    (ab_test,) = demo_store.get(call).job.ab_tests
    task = client.post(f"/api/calls/{call}/ab-tests/{ab_test.id}/run").json()["id"]
    client.post(f"/api/tasks/{task}/stop")
    assert finished(client, task)["notes"][-1] == "the nodes are set as before the A/B test"
    (ab_test,) = demo_store.get(call).job.ab_tests
    assert [v.arm for v in ab_test.arm_runs] == [arm_at(0)]


def test_boxes_that_a_cut_off_trial_left_are_told_and_set_back(client, call, demo_store):
    path = f"/api/calls/{call}"
    client.post(f"{path}/ab-tests", json=wanted(client, call))
    assert client.get(f"{path}/boxes").json() == []
    service = client.app.state.service
    world = world_of(service, demo_store.get(call))
    said = world.state.settings
    world.state = replace(world.state, settings=replace(said, zigbee_channel=25))
    keep_world(service, call, world)
    assert client.get(f"{path}/boxes").json() == [f"Zigbee hub: channel 25, the call says {said.zigbee_channel}"]
    task = finished(client, client.post(f"{path}/boxes/back").json()["id"])
    assert task["notes"] == ["the nodes are set as the call says"]
    assert client.get(f"{path}/boxes").json() == []


def test_turns_by_hand_go_in_their_order_and_bad_ones_are_refused(client, call):
    body = wanted(
        client, call, b_settings=None, measure="latency under load", place_id="studio", a_name="up", b_name="over"
    )
    assert client.post(f"/api/calls/{call}/ab-tests", json=body).status_code == 201
    (view,) = client.get(f"/api/calls/{call}/ab-tests").json()
    path = f"/api/calls/{call}/ab-tests/{view['ab_test']['id']}"
    assert view["by_hand"]
    refused = client.post(f"{path}/run")
    assert refused.status_code == 422
    assert "by hand" in refused.json()["error"]["received"]
    wrong = client.post(f"{path}/runs", json={"arm": "B", "values": [20]})
    assert wrong.status_code == 422
    assert "arm: must be the one whose turn it is" in wrong.json()["error"]["message"]
    for n, value in enumerate([40, 20, 21, 41, 20, 41, 40, 21, 40, 20, 20, 41, 21, 40, 40, 20]):
        said = client.post(f"{path}/runs", json={"arm": arm_at(n), "values": [value]})
        assert said.status_code == 200, said.text
    (view,) = client.get(f"/api/calls/{call}/ab-tests").json()
    assert view["result"]["advice"] == "keep B"
    assert 0.45 < view["result"]["low"] < view["result"]["ratio"] < view["result"]["high"] < 0.6
    measured = client.post(f"{path}/runs", json={"arm": "A"})
    assert measured.status_code == 422
    assert client.delete(path).status_code == 200
    assert client.get(f"/api/calls/{call}/ab-tests").json() == []


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"b_settings": None, "measure": "throughput up", "place_id": None}, "ab_tests[0].place_id"),
        ({"measure": "throughput up", "place_id": "nowhere"}, "ab_tests[0].place_id"),
        ({"worth_fraction": 0.001}, "worth_fraction"),
        ({"measure": "luck"}, "measure"),
    ],
)
def test_a_trial_that_makes_no_sense_is_refused(client, call, change, field):
    for where in ("/plan", ""):
        said = client.post(f"/api/calls/{call}/ab-tests{where}", json=wanted(client, call, **change))
        assert said.status_code == 422
        assert said.json()["error"]["field"] == field


def test_a_trial_of_the_same_settings_is_refused(client, call):
    settings = client.get(f"/api/calls/{call}").json()["job"]["settings"]
    said = client.post(f"/api/calls/{call}/ab-tests", json=wanted(client, call, b_settings=settings))
    assert said.json()["error"]["field"] == "b_settings"
