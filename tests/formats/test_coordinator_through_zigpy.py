"""A Zigbee coordinator through zigpy: an application of zigpy's own, in memory, with no port behind it."""

from __future__ import annotations

import asyncio
from dataclasses import replace

import pytest
from tests.conftest import local_client
from tests.houses import random_house

from even_static.api.app import create_app
from even_static.core.change.sheet import make_sheet
from even_static.core.errors import BadInput, InstrumentFault
from even_static.core.house.validate import validate_job
from even_static.core.survey.coordinator import energy_dbm, with_coordinator
from even_static.formats.job_file import read_job, write_job
from even_static.instruments.zigbee import coordinator

zigpy_application = pytest.importorskip("zigpy.application")
import zigpy.device  # noqa: E402
import zigpy.types as t  # noqa: E402
import zigpy.zdo.types as zdo  # noqa: E402

AT = "2026-11-27T10:00:00+00:00"
HUB, LAMP, PLUG = "02:00:5e:ff:fe:10:00:00", "02:00:5e:ff:fe:10:00:01", "02:00:5e:ff:fe:10:00:02"


class InMemory(zigpy_application.ControllerApplication):
    """zigpy's controller over a network that is only in memory."""

    async def connect(self): ...
    async def disconnect(self): ...
    async def start_network(self): ...
    async def force_remove(self, dev): ...
    async def add_endpoint(self, descriptor): ...
    async def permit_ncp(self, time_s=60): ...
    async def permit_with_link_key(self, node, link_key, time_s=60): ...
    async def reset_network_info(self): ...
    async def write_network_info(self, *, network_info, node_info): ...
    async def send_packet(self, packet): ...

    async def load_network_info(self, *, load_devices=False):
        self.state.network_info.channel = self.wanted
        self.state.network_info.pan_id = t.PanId(0x5E1F)

    async def _move_network_to_channel(self, new_channel, new_nwk_update_id):
        self.wanted = new_channel

    async def energy_scan(self, channels, duration_exp, count):
        assert (duration_exp, count) == (coordinator.SCAN_DURATION, 1)
        return {c: self.energy.get(c, 0.0) for c in channels}


async def made(energy=None):
    app = InMemory({"device": {"path": "nowhere"}, "ota": {"enabled": False}, "backup_enabled": False})
    app.wanted, app.energy = 15, energy or {}
    await app.load_network_info()
    for number, (address, level) in enumerate(((HUB, None), (LAMP, -61), (PLUG, -74))):
        device = zigpy.device.Device(app, t.EUI64.convert(address), t.NWK(number))
        device.rssi = level
        app.devices[device.ieee] = device
    neighbour = zdo.Neighbor(ieee=t.EUI64.convert(PLUG), nwk=t.NWK(2), lqi=t.uint8_t(180))
    app.topology.neighbors[t.EUI64.convert(LAMP)] = [neighbour]
    app.topology.scan = lambda devices=None: asyncio.sleep(0)
    return app


@pytest.fixture
def job():
    job = replace(random_house(8, nodes=1, zigbee_devices=3), kind="real", energy_scans=())
    first, second, *rest = job.zigbee.devices
    devices = (replace(first, address=LAMP), second, *rest)
    return replace(job, zigbee=replace(job.zigbee, devices=devices))


@pytest.fixture(autouse=True)
def no_waiting(monkeypatch):
    for name in ("CHANNEL_CHANGE_BROADCAST_DELAY_S", "CHANNEL_CHANGE_SETTINGS_RELOAD_DELAY_S"):
        monkeypatch.setattr(zigpy_application, name, 0)


def test_what_zigpy_tells_is_taken_over_and_nothing_is_made_up(job):
    read = coordinator.ask(coordinator.read, lambda: made({15: 255.0, 20: 51.0}))
    assert (read.channel, read.pan_id) == (15, 0x5E1F)
    assert [(d.address, d.rssi_dbm) for d in read.devices] == [(LAMP, -61.0), (PLUG, -74.0)]
    assert read.links == ((LAMP, PLUG, 180),)
    found, notes = with_coordinator(job, read, AT)
    validate_job(found)
    assert read_job(write_job(found)) == found
    assert found.settings.zigbee_channel == 15
    lamp = job.zigbee.devices[0].id
    (link,) = [li for li in found.zigbee.links if {li.a_id, li.b_id} == {"hub", lamp}]
    assert (link.rssi_dbm, link.came_from) == (-61.0, "Zigbee coordinator")
    others = [li for li in found.zigbee.links if li is not link]
    assert all(li in job.zigbee.links for li in others), "a link quality is no level"
    said = "; ".join(notes)
    assert f"1 devices without their address under Kit: {PLUG} ({PLUG})" in said
    assert "1 links between devices are told by link quality alone" in said
    (scan,) = found.energy_scans
    assert (scan.came_from, scan.estimated, len(scan.levels)) == ("Zigbee coordinator", True, 16)
    assert {c.channel: c.level_dbm for c in scan.levels}[15] == energy_dbm(255.0) == -35.0


def test_a_coordinator_that_tells_no_energy_leaves_none(job):
    found, notes = with_coordinator(job, coordinator.ask(coordinator.read, made), AT)
    assert found.energy_scans == ()
    assert "it does not report the energy on its channels" in notes
    bare = replace(job, zigbee=None, zigbee_reports=(), settings=replace(job.settings, zigbee_channel=None))
    read = coordinator.ask(coordinator.read, made)
    with pytest.raises(BadInput, match="zigbee: must be entered first"):
        with_coordinator(bare, read, AT)


def test_the_network_moves_and_the_channel_is_read_back():
    async def moved(app):
        app.backups.create_backup = lambda: asyncio.sleep(0)
        sent = []

        async def broadcast(*args, **more):
            sent.append(more)

        app.broadcast = broadcast
        return await coordinator.move(app, 25)

    assert coordinator.ask(moved, made) == 25


def test_it_is_offered_only_where_it_is_installed_and_configured(job, store, monkeypatch):
    monkeypatch.delenv(coordinator.SETTING, raising=False)
    call = store.add(job)
    client = local_client(create_app(store))
    offered = client.get(f"/api/calls/{call.id}/instruments").json()
    (one,) = [i for i in offered if i["kind"] == "coordinator"]
    assert (one["available"], one["why_not"]) == (False, "no coordinator is configured")
    refused = client.post(f"/api/calls/{call.id}/coordinator/read")
    assert refused.status_code == 502
    assert "no coordinator is configured" in refused.json()["error"]["message"]
    monkeypatch.setenv(coordinator.SETTING, "luck:port")
    assert coordinator.why_not()[0] == "the library luck is not installed"
    monkeypatch.setattr(coordinator, "find_spec", lambda name: None)
    assert coordinator.why_not()[0] == "zigpy is not installed"
    # A practice house has a simulated hub, and nothing real.
    practice = store.add(replace(job, kind="practice"))
    assert client.post(f"/api/calls/{practice.id}/coordinator/read").status_code == 409


def test_what_a_coordinator_does_not_do_is_said_in_one_line():
    async def broken(app):
        raise OSError("port is in use")

    with pytest.raises(InstrumentFault, match="port is in use; accepted: is its port free"):
        coordinator.ask(broken, made)


def test_it_is_read_into_a_call(job, store, monkeypatch):
    call = store.add(job)
    client = local_client(create_app(store))
    ask = coordinator.ask
    monkeypatch.setattr(coordinator, "ask", lambda action: ask(action, made))
    answer = client.post(f"/api/calls/{call.id}/coordinator/read")
    assert answer.status_code == 200, answer.text
    assert store.get(call.id).job.settings.zigbee_channel == 15


@pytest.fixture
def moves(monkeypatch):
    """The computer's coordinator moves, and says where it is now."""
    real = coordinator.ask

    def ask(action):
        async def with_broadcast(app):
            app.backups.create_backup = lambda: asyncio.sleep(0)
            app.broadcast = lambda *args, **more: asyncio.sleep(0)
            return await action(app)

        return real(with_broadcast, made)

    monkeypatch.setattr(coordinator, "ask", ask)


def test_a_move_becomes_the_call_s_where_no_sheet_asks_for_it(job, store, moves):
    call = store.add(job)
    answer = local_client(create_app(store)).post(f"/api/calls/{call.id}/coordinator/move", json={"channel": 20})
    assert answer.status_code == 200, answer.text
    assert store.get(call.id).job.settings.zigbee_channel == 20


def test_a_move_ticks_the_hub_s_step_only_when_it_is_its_turn(job, store, moves):
    wanted = 25 if job.settings.zigbee_channel != 25 else 20
    hub_alone = replace(job.settings, zigbee_channel=wanted)
    first, *others = job.settings.radios
    softer = replace(first, eirp_dbm=first.eirp_dbm - 3)
    node_before = replace(hub_alone, radios=(softer, *others))
    client = local_client(create_app(store))
    for settings, state in ((hub_alone, "done"), (node_before, "open")):
        sheet = make_sheet(job, settings, "sheet", AT)
        call = store.add(replace(job, sheet=sheet))
        answer = client.post(f"/api/calls/{call.id}/coordinator/move", json={"channel": wanted})
        assert answer.status_code == 200, answer.text
        now = store.get(call.id).job
        hub = next(s for s in now.sheet.steps if s.kind == "hub")
        # It has moved, so that is what the call says in either case.
        assert (now.settings.zigbee_channel, hub.state, hub.read_back) == (wanted, state, state == "done")
        assert len(now.changes) == len(job.changes) + (state == "done")
