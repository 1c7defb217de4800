"""The API fuzzed from its own OpenAPI description: whatever comes, it answers without a fault of its own, in the one
form that failures have, and nothing that is stored is damaged."""

from __future__ import annotations

import pytest
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings

from even_static.api.service import Service
from even_static.core.house.validate import validate_job
from even_static.formats.job_file import read_job, write_job
from even_static.store.calls import Store

# Fruitless to fuzz: bytes for the link test, a body or an answer of up to 512 MiB.
LEFT_OUT = ["/api/link/down", "/api/link/up"]
PARTS = 4
# In two halves: what stands here whole is sent by the fuzzer, and said again as what was received.
FAULT = "Trace" + "back"[:4] + " (most recent"


def here(app):
    """The application as a browser on this computer reaches it: the tool gives itself names that are not let in."""

    async def asked(scope, receive, send):
        if scope["type"] == "lifespan":
            # The tool starts and ends an application for each request; this one goes on.
            for said in ("startup", "shutdown"):
                await receive()
                await send({"type": f"lifespan.{said}.complete"})
            return
        if scope["type"] == "http":
            headers = [(k, v) for k, v in scope["headers"] if k != b"host"]
            scope = scope | {"client": ("127.0.0.1", 50_000), "headers": [*headers, (b"host", b"127.0.0.1")]}
        await app(scope, receive, send)

    return asked


def map_path_parameters(_, path_parameters):
    """Mostly the call that is there: what is unknown is refused before anything is tried."""
    if path_parameters and isinstance(path_parameters.get("call_id"), int) and path_parameters["call_id"] % 4:
        path_parameters["call_id"] = 1
    return path_parameters


@pytest.fixture(scope="module")
def described(tmp_path_factory, demo_store, app_over):
    """(description, store) of the application over a store of its own, with one call in the middle of the work."""
    store = Store(tmp_path_factory.mktemp("fuzz") / "calls.sqlite")
    store.add(demo_store.get(2).job)
    app = app_over(store)
    app.state.service = Service(store, clock_speed=1e9)
    schema = schemathesis.openapi.from_asgi("/api/openapi.json", here(app))
    schema.hook(map_path_parameters)
    return schema.exclude(path=LEFT_OUT), store


@pytest.mark.parametrize("part", range(PARTS))
def test_no_request_makes_a_fault(described, part):
    schema, store = described
    operations = [o.ok() for o in schema.get_all_operations()]
    assert len(operations) > 80
    met = []
    for operation in operations[part::PARTS]:

        @settings(
            max_examples=8,
            deadline=None,
            phases=[Phase.explicit, Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        @given(case=operation.as_strategy())
        def ask(case):
            response = case.call()
            if response.status_code >= 500:
                met.append(
                    f"{case.method} {case.formatted_path} {case.query} {case.body!r:.300}: {response.text[:200]}"
                )
            elif response.status_code >= 400:
                message = response.json()["error"]["message"]
                assert message
                assert FAULT not in message

        ask()
    assert met == []
    # Whatever was stored, by whichever route, reads back whole: with nothing of what this process still knows.
    again = Store(store.path)
    for line in again.find(most=10_000):
        call = again.get(line.id)
        validate_job(call.job)
        assert call.set_aside == ()
        assert call.job == store.get(line.id).job
        assert read_job(write_job(call.job)) == call.job
