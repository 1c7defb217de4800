"""Shared fixtures: small houses, a store, and one application with one browser for a whole run."""

from __future__ import annotations

import os
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, TypeVar

import hypothesis
import pytest
import uvicorn
from fastapi import FastAPI
from fastapi.testclient import TestClient
from httpx import Response

from even_static.api.app import create_app
from even_static.api.practice.demo import add_demo_calls
from even_static.api.service import Service
from even_static.api.share import Share
from even_static.core.house.job import Job
from even_static.store.calls import Store
from tests.houses import random_house

T = TypeVar("T")

# How long an example takes says nothing about whether it is right, and the machines that run these are shared.
# The examples are the same in every run, so that a change is told from chance.
hypothesis.settings.register_profile("shared machine", deadline=None, derandomize=True)
hypothesis.settings.load_profile("shared machine")


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path / "calls.sqlite")


@pytest.fixture(scope="session")
def house_job() -> Job:
    return random_house(7, nodes=2, neighbours=18, devices=8)


@pytest.fixture(scope="session")
def demo_store(tmp_path_factory: pytest.TempPathFactory) -> Store:
    """The demo calls, as the demo makes them: 1 is finished, 2 in the middle of the work. Only to be read."""
    store = Store(tmp_path_factory.mktemp("demo") / "demo.sqlite")
    add_demo_calls(store)
    return store


@cache
def _one_app(folder: str) -> FastAPI:
    return create_app(Store(Path(folder) / "none.sqlite"))


@pytest.fixture(scope="session")
def app_over(tmp_path_factory: pytest.TempPathFactory) -> Callable[[Store], FastAPI]:
    """The application over a store; the same one each time, since describing all bodies takes it some seconds."""
    folder = str(tmp_path_factory.mktemp("app"))

    def over(store: Store) -> FastAPI:
        app = _one_app(folder)
        app.state.service = Service(store, clock_speed=1e6)
        return app

    return over


def local_client(app: FastAPI, **options: Any) -> TestClient:
    """A browser on this computer, which is what the application lets in."""
    return TestClient(app, base_url="http://127.0.0.1", client=("127.0.0.1", 50_000), **options)


def undo(client: TestClient, call: int) -> Response:
    """Take back the last step, as a page does that shows the call as it is."""
    revision = client.get(f"/api/calls/{call}").json()["revision"]
    return client.post(f"/api/calls/{call}/undo", params={"revision": revision})


def poll(found: Callable[[], T | None], seconds: float = 30.0) -> T:
    """What ``found`` gives once it gives something; an AssertionError when that takes too long."""
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        value = found()
        if value:
            return value
        time.sleep(0.02)
    raise AssertionError("it never came")


@dataclass
class RunningApp:
    """An application served on 127.0.0.1, and its store."""

    address: str
    store: Store
    share: Share | None = None


@contextmanager
def serving(folder: Path, share: Share | None = None) -> Iterator[RunningApp]:
    """The application with the demo calls; the stand-ins' clock runs fast so that nobody waits."""
    store = Store(folder / "demo.sqlite")
    add_demo_calls(store)
    with socket.socket(socket.AF_INET, socket.SOCK_STREAM) as listener:
        listener.bind(("127.0.0.1", 0))
        config = uvicorn.Config(create_app(store, clock_speed=2000.0, share=share), log_level="error", access_log=False)
        server = uvicorn.Server(config)
        thread = threading.Thread(target=server.run, kwargs={"sockets": [listener]}, daemon=True)
        thread.start()
        while not server.started:
            time.sleep(0.02)
        yield RunningApp(f"http://127.0.0.1:{listener.getsockname()[1]}/", store, share)
        server.should_exit = True
        thread.join(timeout=5)


@pytest.fixture(scope="session")
def running_app(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningApp]:
    """One application for all browser tests."""
    with serving(tmp_path_factory.mktemp("browser")) as app:
        yield app


@pytest.fixture
def shared_app(tmp_path: Path) -> Iterator[RunningApp]:
    """An application that phones may be let into."""
    with serving(tmp_path, Share(["192.0.2.10"], 8641)) as app:
        yield app


CHROMIUM = os.environ.get("EVEN_STATIC_CHROMIUM", "/usr/bin/chromium")
CHROMIUM_ARGUMENTS = [
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--host-resolver-rules=MAP * ~NOTFOUND, EXCLUDE 127.0.0.1",
]
