"""Practice houses of which only the number is chosen, drawn as the judge draws them: the whole job can be practised."""

from __future__ import annotations

import pytest
from tests.conftest import local_client, poll

from even_static.api.app import create_app
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import require_choosable


@pytest.fixture
def client(store):
    return local_client(create_app(store, clock_speed=100_000))


def finished(client, task: str) -> dict:
    """A task once it has ended."""

    def ended() -> dict | None:
        found = client.get(f"/api/tasks/{task}").json()
        return None if found["state"] == "running" else found

    return poll(ended, 90)


def opened(client, seed: int, country: str = "NL") -> dict:
    body = {"seed": seed, "size": "any house", "difficulty": "usual", "country": country, "time_zone": "Europe/Paris"}
    answer = client.post("/api/calls/practice", json=body)
    assert answer.status_code == 201, answer.text[:300]
    return answer.json()


@pytest.mark.parametrize("seed", [11, 12, 15, 23])
def test_the_whole_job_can_be_practised_in_it(client, store, seed):
    call = opened(client, seed)
    job = store.get(call["id"]).job
    assert (job.kind, job.country, job.time_zone) == ("practice", "NL", "Europe/Paris")
    assert job.complaints
    assert not job.scans
    require_choosable(job, job.settings)
    places = [p["id"] for p in call["job"]["places"]][:2]
    task = client.post(f"/api/calls/{call['id']}/listen", json={"place_ids": places, "with_tests": True}).json()
    assert finished(client, task["id"])["state"] == "done"
    client.post(f"/api/calls/{call['id']}/practice-router")
    job = store.get(call["id"]).job
    assert {s.came_from for s in job.scans} == {"simulated"}
    assert job.client_list
    evaluate(House(job), job.settings)
    plan = finished(client, client.post(f"/api/calls/{call['id']}/tune", json={"seconds": 4}).json()["id"])["plan"]
    assert plan["evaluation"]["lawful"]
    cost = client.post(f"/api/calls/{call['id']}/sheet-preview", json={"settings": plan["settings"]}).json()
    assert bool(cost["steps"]) == bool(plan["evaluation"]["changes"])
    assert store.get(call["id"]).job.sheet is None


def test_the_number_decides_and_countries_keep_their_law(client, store):
    first, again, other = (store.get(opened(client, n)["id"]).job for n in (31, 31, 32))
    assert first.nodes == again.nodes
    assert first.places == again.places
    assert first.nodes != other.nodes
    for country in ("US", "JP", "BR"):
        job = store.get(opened(client, 33, country)["id"]).job
        require_choosable(job, job.settings)
    kinds = {len(store.get(opened(client, n)["id"]).job.nodes) for n in range(40, 60)}
    assert len(kinds) >= 3
