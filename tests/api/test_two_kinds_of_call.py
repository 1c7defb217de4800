"""A real call is measured, a practice house is simulated, and nobody can take one for the other."""

from __future__ import annotations

import json
from dataclasses import asdict, replace

import numpy as np
import pytest
from tests.conftest import local_client, poll, undo
from tests.houses import random_house

from even_static.core.house.changes import AbArm, AbTest
from even_static.core.house.readings import Scan, own_reading
from even_static.core.house.settings import SsidPlan
from even_static.core.report.report import report
from even_static.formats.job_file import read_job
from even_static.instruments.system import commands, nl80211, wifi

AT = "2026-03-02T19:00:00+01:00"


@pytest.fixture
def client(store, app_over):
    return local_client(app_over(store))


@pytest.fixture
def real(store):
    """A real call with kit, a sheet's worth of settings to change and an A/B test; nothing measured."""
    job = random_house(11, nodes=2, neighbours=0, devices=3, zigbee_devices=3)
    b = replace(job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-65.0))
    test = AbTest(
        id="t1", name="t", planned_at=AT, measure="throughput down",
        a=AbArm("a", job.settings), b=AbArm("b", b), place_id=job.places[0].id,
    )  # fmt: skip
    bare = replace(job, scans=(), speed_tests=(), zigbee_reports=(), energy_scans=(), kind="real", ab_tests=(test,))
    return store.add(bare)


def measured(job):
    """Everything in a job that somebody must have measured or typed."""
    return (
        len(job.scans),
        len(job.speed_tests),
        len(job.zigbee_reports),
        len(job.energy_scans),
        len(job.traces),
        sum(len(t.arm_runs) for t in job.ab_tests),
        tuple(li.rssi_dbm for li in job.zigbee.links) if job.zigbee else (),
    )


def simulated_requests(job):
    """(path under the call, body) of every request that a simulated instrument answers."""
    place, other = job.places[0].id, job.places[1].id
    moved = replace(job.settings, zigbee_channel=25 if job.settings.zigbee_channel != 25 else 20)
    settings = json.loads(json.dumps(_plain(moved)))
    walk = {"key": "k1", "place_id": place, "heard_at": AT,
            "series": [{"bssid": job.radios[0].bssid, "samples_dbm": [-40.0]}]}  # fmt: skip
    trace = {"key": "k2", "from_place_id": place, "to_place_id": other, "walked_at": AT, "duration_s": 5.0,
             "points": [{"after_s": 1.0, "bssid": job.radios[0].bssid, "rssi_dbm": -50.0}]}  # fmt: skip
    return [
        ("listen", {"place_ids": [place], "bands": None, "with_tests": True}),
        ("hub-links", None),
        ("hub-scan", None),
        ("apply", {"settings": settings, "reason": "x"}),
        ("walk/sample", {"place_id": place, "so_far": []}),
        ("walk", walk),
        ("walk/trace/sample", {"from_place_id": place, "to_place_id": other, "path_fraction": 0.5}),
        ("walk/trace", trace),
        ("ab-tests/t1/run", None),
        ("ab-tests/t1/runs", {"arm": "A", "values": []}),
        ("boxes/back", None),
    ]


def _plain(settings):
    from pydantic import TypeAdapter

    return TypeAdapter(type(settings)).dump_python(settings, mode="json")


def test_every_simulated_instrument_refuses_a_real_call(client, store, real):
    for path, body in simulated_requests(real.job):
        answer = client.post(f"/api/calls/{real.id}/{path}", json=body)
        assert answer.status_code == 409, (path, answer.text)
        assert "practice house" in answer.json()["error"]["message"]
    assert measured(store.get(real.id).job) == measured(real.job)
    assert store.stand_in(real.id) is None


def test_a_sheet_s_step_is_not_sent_on_a_real_call(client, store, real):
    settings = _plain(real.job.ab_tests[0].b.settings)
    assert client.post(f"/api/calls/{real.id}/sheet", json={"settings": settings, "reason": "x"}).status_code == 200
    step = store.get(real.id).job.sheet.steps[0].id
    assert client.post(f"/api/calls/{real.id}/sheet/{step}/send").status_code == 409


def test_no_post_makes_a_reading_that_nobody_measured(client, store, real):
    """Over every POST of the description, with nothing and with what simulated instruments would take."""
    paths = client.get("/api/openapi.json").json()["paths"]
    bodies = [body for _, body in simulated_requests(real.job) if body] + [{}]
    before = measured(store.get(real.id).job)
    tried = 0
    for path, operations in paths.items():
        if (
            "{call_id}" not in path
            or "post" not in operations
            or path.endswith(("/walk/typed", "/speed-tests", "/wired"))
        ):
            continue
        where = path.replace("{call_id}", str(real.id)).replace("{ab_test_id}", "t1").replace("{step_id}", "hub")
        where = where.replace("{instrument_id}", "x").replace("{number}", "1").replace("{photo_id}", "x")
        for body in bodies:
            answer = client.post(where, json=body)
            assert answer.status_code < 500 or answer.status_code in (502, 503), (path, answer.text)
            tried += 1
    assert tried > 150
    now = store.get(real.id).job
    assert not [s for s in (*now.scans, *now.speed_tests, *now.traces) if s.came_from == "simulated"]
    assert measured(now)[:6] == before[:6]


def test_the_kind_never_changes(client, store, real):
    answer = client.patch(
        f"/api/calls/{real.id}/job", json={"job": {"kind": "practice"}, "revision": real.revision, "summary": "x"}
    )
    assert answer.status_code == 422
    assert answer.json()["error"]["field"] == "job.kind"
    assert store.get(real.id).job.kind == "real"


def test_a_practice_house_says_so_everywhere(client, store):
    body = {"seed": 7, "size": "house", "difficulty": "crowded", "country": "NL"}
    call = client.post("/api/calls/practice", json=body).json()
    assert call["job"]["kind"] == "practice"
    again = client.post("/api/calls/practice", json=body).json()
    assert again["job"]["nodes"] == call["job"]["nodes"]
    task = client.post(f"/api/calls/{call['id']}/listen", json={"place_ids": ["hall"], "with_tests": True}).json()
    poll(lambda: client.get(f"/api/tasks/{task['id']}").json()["state"] == "done" or None)
    job = store.get(call["id"]).job
    assert {s.came_from for s in job.scans} == {"simulated"}
    assert {t.came_from for t in job.speed_tests} == {"simulated"}
    assert {r.came_from for r in job.zigbee_reports} == {"simulated"}
    assert {li.came_from for li in job.zigbee.links} == {"simulated"}
    for path in ("export", "readings.csv", "report.pdf", "hand-over.json", "hand-over.csv"):
        name = client.get(f"/api/calls/{call['id']}/{path}").headers["content-disposition"]
        assert "practice-call-" in name
    assert client.get(f"/api/calls/{call['id']}/report").json()["mark"].startswith("Practice house")
    assert read_job(client.get(f"/api/calls/{call['id']}/export").text).kind == "practice"
    assert next(c for c in client.get("/api/calls").json()["calls"] if c["id"] == call["id"])["kind"] == "practice"
    # Nothing real is mixed into it.
    assert client.post(f"/api/calls/{call['id']}/scan?place_id=hall").status_code == 409
    assert client.post(f"/api/calls/{call['id']}/texts?place_id=hall", content="x").status_code == 409


def test_a_real_call_is_scanned_by_this_computer_s_card(client, store, real, monkeypatch):
    text = "02\\:aa\\:bb\\:cc\\:dd\\:01:next door:11:2462 MHz:40:WPA2\n"
    monkeypatch.setattr(commands, "find", lambda name: name)
    monkeypatch.setattr(commands, "run", lambda command, seconds: text)
    monkeypatch.setattr(wifi.sys, "platform", "linux")
    place = real.job.places[0].id
    answer = client.post(f"/api/calls/{real.id}/scan?place_id={place}")
    assert answer.status_code == 200, answer.text
    scan = store.get(real.id).job.scans[0]
    assert (scan.came_from, scan.place_id, scan.readings[0].estimated) == ("system scan", place, True)
    found = client.get(f"/api/calls/{real.id}/instruments").json()
    assert {i["kind"]: i["available"] for i in found}["card"]


def test_without_a_card_it_says_what_to_do(client, real, monkeypatch):
    monkeypatch.setattr(commands, "find", lambda name: None)
    answer = client.post(f"/api/calls/{real.id}/scan?place_id={real.job.places[0].id}")
    assert answer.status_code == 502
    assert "paste" in answer.json()["error"]["message"]
    card = next(i for i in client.get(f"/api/calls/{real.id}/instruments").json() if i["kind"] == "card")
    assert (card["available"], bool(card["why_not"]), bool(card["what_to_do"])) == (False, True, True)


def test_typed_and_pasted_speed_tests_feed_line_or_wi_fi(client, store, real):
    place = real.job.places[0].id
    body = {"key": "s1", "place_id": place, "tested_at": AT, "down_mbps": [41, 38, 44], "up_mbps": [9, 8, 9]}
    for _ in range(2):
        assert client.post(f"/api/calls/{real.id}/speed-tests", json=body).status_code == 200
    wired = {**body, "key": "s2", "over": "cable", "down_mbps": [94, 93, 95]}
    client.post(f"/api/calls/{real.id}/speed-tests", json=wired)
    job = store.get(real.id).job
    assert [(t.over, t.came_from) for t in job.speed_tests] == [("wi-fi", "typed"), ("cable", "typed")]
    verdict = client.get(f"/api/calls/{real.id}/link").json()["verdict"]
    assert verdict["wired_down_mbps"]["median"] == 94
    assert next(r for r in verdict["rooms"] if r["place_id"] == place)["down_mbps"]["median"] == 41
    # A run over the loopback counts for no room.
    loop = {
        "start": {"connected": [{"local_host": "127.0.0.1", "remote_host": "127.0.0.1"}],
                  "timestamp": {"timesecs": 1_770_000_000}, "test_start": {"reverse": 1}},
        "end": {"sum_received": {"bits_per_second": 9e9}},
    }  # fmt: skip
    answer = client.post(f"/api/calls/{real.id}/texts?place_id={place}&name=run.json", content=json.dumps(loop))
    assert answer.status_code == 200, answer.text
    rooms = client.get(f"/api/calls/{real.id}/link").json()["verdict"]["rooms"]
    assert next(r for r in rooms if r["place_id"] == place)["down_mbps"]["median"] == 41
    assert store.get(real.id).job.speed_tests[-1].over == "this computer itself"


def test_own_levels_typed_at_a_spot_leave_the_neighbours_heard_there(client, store, real):
    place = real.job.places[0].id
    text = "02\\:aa\\:bb\\:cc\\:dd\\:01:next door:11:2462 MHz:60:WPA2\n"
    client.post(f"/api/calls/{real.id}/texts?place_id={place}", content=text)
    walk = {"key": "w1", "place_id": place, "heard_at": "2026-12-02T19:00:00+01:00",
            "own": [{"bssid": real.job.radios[0].bssid, "shown": {"values": [-48.0, -50.0]}}]}  # fmt: skip
    assert client.post(f"/api/calls/{real.id}/walk/typed", json=walk).status_code == 200
    assert store.get(real.id).job.scans[-1].came_from == "typed"
    sheet = client.get(f"/api/calls/{real.id}/air?place_id={place}").json()["sheets"][0]
    assert [s["reading"]["ssid"] for s in sheet["strips"]] == ["next door"]


def test_what_was_read_back_becomes_the_call_s_settings(client, store, real):
    radio = real.job.settings.radios[0]
    wanted = replace(radio, channel=11 if radio.channel != 11 else 1, width_mhz=20, centre_mhz=None)
    settings = replace(real.job.settings, radios=(wanted, *real.job.settings.radios[1:]))
    client.post(f"/api/calls/{real.id}/sheet", json={"settings": _plain(settings), "reason": "x"})
    step = client.get(f"/api/calls/{real.id}/sheet").json()["steps"][0]
    assert [r["channel"] for r in step["radios"]] == [wanted.channel]
    # The node took another channel, and less power, than it was asked for.
    shown = {**step["radios"][0], "channel": 6, "eirp_dbm": 14.0}
    where = f"/api/calls/{real.id}/sheet/{step['id']}/tick"
    assert client.post(where, json={"read_back": {"radios": [shown]}}).status_code == 200
    job = store.get(real.id).job
    assert (job.settings.radios[0].channel, job.settings.radios[0].eirp_dbm) == (6, 14.0)
    assert job.changes[-1].after.radios[0].channel == 6
    done = job.sheet.steps[0]
    assert (done.state, done.read_back) == ("differs", True)
    assert "6" in done.found
    # Taken back and done again, with nobody reading: it is said to be set, and not that it was read back.
    assert client.post(where, json={"back": True}).status_code == 200
    assert client.post(where, json={}).status_code == 200
    done = store.get(real.id).job.sheet.steps[0]
    assert (done.state, done.read_back) == ("done", False)


@pytest.mark.parametrize(
    ("read", "field"),
    [
        ({"radios": [{"radio_id": "ghost", "channel": 6, "width_mhz": 20, "eirp_dbm": 14.0}]}, "read_back.radios[0]"),
        ({"zigbee_channel": 15}, "read_back.zigbee_channel"),
    ],
)
def test_only_what_a_step_sets_can_be_read_back(client, real, read, field):
    radio = real.job.settings.radios[0]
    wanted = replace(radio, channel=11 if radio.channel != 11 else 1, width_mhz=20, centre_mhz=None)
    settings = replace(real.job.settings, radios=(wanted, *real.job.settings.radios[1:]))
    client.post(f"/api/calls/{real.id}/sheet", json={"settings": _plain(settings), "reason": "x"})
    step = client.get(f"/api/calls/{real.id}/sheet").json()["steps"][0]["id"]
    answer = client.post(f"/api/calls/{real.id}/sheet/{step}/tick", json={"read_back": read})
    assert answer.status_code == 422
    assert answer.json()["error"]["field"].startswith(field)


def test_before_anything_was_measured_nothing_is_said_of_the_house(real, client):
    job = replace(real.job, ab_tests=())
    assert not job.air_known
    made = report(job, AT)
    text = json.dumps(asdict(made))
    assert made.headline == "Nothing was measured and nothing was changed yet."
    assert "The bottleneck: not known yet, since nobody has scanned the air here." in text
    assert "Not known yet: nobody has scanned the air here." in text
    for invented in ('Headroom", "2x', "twice the airtime", '"Problems"', '"Measured;'):
        assert invented not in text
    body = {"settings": _plain(job.settings)}
    held = client.post(f"/api/calls/{real.id}/holding", json=body).json()
    assert held["text"] == "not known yet, since nobody has scanned the air here"
    # Own levels that were typed say nothing of who else sends; a whole scan does.
    own = tuple(own_reading(r, job.settings.of(r.id), -50.0) for r in job.radios)
    typed = Scan(
        id="t",
        place_id=job.places[0].id,
        heard_at=AT,
        source="typed",
        came_from="typed",
        bands=("5 GHz",),
        readings=own,
    )
    assert not replace(job, scans=(typed,)).air_known
    assert replace(job, scans=(replace(typed, came_from="capture"),)).air_known


def test_a_running_capture_shows_on_a_real_call_alone_and_stores_nothing(client, real, store):
    place = real.job.places[0].id
    network = {"bssid": "02:aa:bb:00:00:01", "ssid": "next door", "band": "5 GHz", "channel": 36,
               "level_dbm": -61.0, "spread_db": 1.0, "frames": 9}  # fmt: skip
    body = {"place_id": place, "seconds": 1.5, "frames": 9, "heard_networks": 1, "networks": [network], "ended": False}
    url = f"/api/calls/{real.id}/live"
    assert client.get(url).json() == {"going_on": False, "ago_s": 0.0, "capture": None}
    assert client.post(url, json=body).status_code == 204
    found = client.get(url).json()
    assert found["going_on"]
    assert found["capture"] == body
    assert store.get(real.id).revision == real.revision
    assert client.post(url, json={**body, "ended": True}).status_code == 204
    assert not client.get(url).json()["going_on"]
    for wrong, field in (({"place_id": "nowhere"}, "place_id"), ({"networks": [network] * 201}, "networks")):
        refused = client.post(url, json={**body, **wrong})
        assert refused.status_code in (404, 422)
        assert field in refused.json()["error"]["field"]
    practice = store.add(replace(real.job, kind="practice"))
    refused = client.post(f"/api/calls/{practice.id}/live", json=body)
    assert refused.status_code == 409
    assert "must be a real house" in refused.json()["error"]["message"]


def _prints(radios, *levels):
    """What nmcli prints of own radios at levels in per cent, and of a neighbour."""
    own = [
        f"{r.bssid.replace(':', chr(92) + ':')}:{r.ssid}:{1 if r.band == '2.4 GHz' else 36}:"
        f"{2412 if r.band == '2.4 GHz' else 5180} MHz:{level}:WPA2"
        for r, level in zip(radios, levels, strict=False)
    ]
    return "\n".join([*own, "02\\:aa\\:bb\\:cc\\:dd\\:01:next door:11:2462 MHz:40:WPA2"]) + "\n"


@pytest.fixture(autouse=True)
def no_kernel(monkeypatch):
    """The card of the computer that runs the tests is left alone."""
    monkeypatch.setattr(nl80211, "available", lambda: False)


def test_the_card_reads_a_spot_until_the_level_has_settled(client, store, real, monkeypatch):
    """Scan after scan, the series' middle is kept with the neighbours of the last one; nothing before that."""
    radios = [r for r in real.job.radios if r.band in ("2.4 GHz", "5 GHz")][:2]
    swing = [60, 64, 62, 58, 62, 64, 60, 62, 62, 60, 62, 64, 62, 60, 62]
    printed = iter(swing)
    monkeypatch.setattr(commands, "find", lambda name: name)
    monkeypatch.setattr(commands, "run", lambda command, seconds: _prints(radios, next(printed), 70))
    monkeypatch.setattr(wifi.sys, "platform", "linux")
    path, place = f"/api/calls/{real.id}", real.job.places[0].id
    n = 0
    while n < len(swing):
        n += 1
        seen = client.post(f"{path}/scan/series", json={"place_id": place}).json()
        assert seen["series"][0]["samples_dbm"] == [p / 2 - 100 for p in swing[:n]]
        if seen["settled"]:
            break
    assert 3 <= n < len(swing)
    assert store.get(real.id).job.scans == ()
    # Only what the card has read can be kept, and only where it was read.
    elsewhere = {"key": "s0", "place_id": real.job.places[1].id}
    assert client.post(f"{path}/scan/keep", json=elsewhere).json()["error"]["field"] == "place_id"
    keep = {"key": "s1", "place_id": place}
    for _ in range(2):
        assert client.post(f"{path}/scan/keep", json=keep).status_code == 200
    (scan,) = store.get(real.id).job.scans
    assert (scan.came_from, scan.levels_only) == ("system scan", False)
    first = next(r for r in scan.readings if r.bssid == radios[0].bssid)
    assert first.samples == n
    assert first.rssi_dbm == np.median([p / 2 - 100 for p in swing[:n]])
    assert first.estimated
    assert first.spread_db >= 4
    assert "next door" in {r.ssid for r in scan.readings}
    assert client.post(f"{path}/scan/keep", json=keep | {"key": "s2"}).status_code == 422
    # Another spot, or a fresh start, begins a series of its own.
    for _, wanted in ((client.post(f"{path}/scan/series", json={"place_id": place}), 1), (None, 2)):
        seen = client.post(f"{path}/scan/series", json={"place_id": place, "anew": wanted == 2}).json()
    assert len(seen["series"][0]["samples_dbm"]) == 1


def test_a_radio_that_the_first_scan_took_for_another_is_put_right_by_the_next(client, store):
    """The router's 5 GHz network is not heard in the attic: the mesh node's there is taken for it, until the hall is
    scanned. The step says so, one undo takes both back, and no own network is left among the neighbours."""
    call = client.post("/api/calls", json={"title": "Put right", "country": "NL"}).json()["id"]
    notes = "hall 2 4\nupstairs\nlanding 2 4 above hall\nattic:\nattic 5 5 above landing\nrouter, hall\n"
    notes += "mesh node, landing, over the air\nmesh node, attic, over the air"
    client.post(f"/api/calls/{call}/notes", json={"text": notes, "take": True}).raise_for_status()

    def scan(place, *levels):
        own = (
            ("10\\:01", 2437),
            ("10\\:02", 5180),
            ("20\\:01", 2437),
            ("20\\:02", 5180),
            ("30\\:01", 2437),
            ("30\\:02", 5180),
        )
        text = "".join(
            f"06\\:61\\:00\\:00\\:{tail}:ours:0:{mhz} MHz:{level}:WPA2\n"
            for (tail, mhz), level in zip(own, levels, strict=True)
            if level
        )
        client.post(f"/api/calls/{call}/texts?place_id={place}", content=text).raise_for_status()

    scan("attic", 36, 0, 58, 44, 96, 92)
    client.post(f"/api/calls/{call}/own-names", json={"ssid": "ours"}).raise_for_status()
    first = {r.id: r.bssid[-5:] for r in store.get(call).job.radios}
    scan("hall", 96, 94, 60, 44, 40, 0)
    put_right = store.get(call)
    own = {r.id: r.bssid[-5:] for r in put_right.job.radios}
    assert first["router-5"] == "20:02"
    assert own == {
        "router-2.4": "10:01",
        "router-5": "10:02",
        "mesh-node-2.4": "20:01",
        "mesh-node-5": "20:02",
        "mesh-node-attic-2.4": "30:01",
        "mesh-node-attic-5": "30:02",
    }
    assert "told apart: " in client.get(f"/api/calls/{call}").json()["undo"]
    air = client.get(f"/api/calls/{call}/air?place_id=hall").json()["sheets"]
    assert not [strip for sheet in air for strip in sheet["strips"] if strip["own_radio_id"] is None]
    undo(client, call).raise_for_status()
    assert {r.id: r.bssid[-5:] for r in store.get(call).job.radios} == first
