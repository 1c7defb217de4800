"""Lists as routers' and hubs' pages show them: recognised by their header, errors by line, names that nobody knows."""

from __future__ import annotations

from dataclasses import replace

import pytest
from tests.houses import random_house

from even_static.core.errors import BadInput
from even_static.formats.router_lists import read_lists

AT = "2026-03-02T21:30:00+01:00"


@pytest.fixture(scope="module")
def job():
    made = random_house(3, nodes=2, bands=("2.4 GHz", "5 GHz"), devices=4, zigbee_devices=3)
    return replace(
        made, nodes=tuple(replace(n, name=name) for n, name in zip(made.nodes, ("Hall", "Attic"), strict=True))
    )


def test_a_client_list_by_names_ids_and_bands(job):
    devices, radios = job.devices, {(job.node_of(r.id).name, r.band): r.id for r in job.radios}
    text = (
        "Name;Band;RSSI;Tx rate;Downloaded_MB;Hours\n"
        f"{devices[0].name.upper()};Attic 5 GHz;-61 dBm;433,5;5400,2;24\n"
        f"{devices[1].id};{radios['Hall', '2.4 GHz']};−70;;;\n"
        "somebody's phone;Hall 5GHz;-50;;;\n"
    )
    read = read_lists(job, text, AT)
    first, second = read.clients
    assert (first.device_id, first.radio_id, first.rssi_dbm) == (devices[0].id, radios["Attic", "5 GHz"], -61.0)
    assert (first.down_rate_mbps, first.down_mb, first.counted_h) == (433.5, 5400.2, 24.0)
    assert (second.radio_id, second.rssi_dbm, second.down_mb) == (radios["Hall", "2.4 GHz"], -70.0, None)
    assert read.unknown == ("somebody's phone",)
    assert read.text == "2 devices on the client list; not of this call: somebody's phone"
    assert {c.came_from for c in read.clients} == {"router's list"}


def test_channel_use_by_the_house_s_clock(job):
    radio = job.radios[0].id
    read = read_lists(job, f"radio,time,busy_percent\n{radio},20:00,62\n{radio},23,18%\n{radio},,5\n", AT)
    # What has not been yet today was yesterday; without a time it is now.
    assert [u.seen_at for u in read.uses] == ["2026-03-02T20:00:00+01:00", "2026-03-01T23:00:00+01:00", AT]
    assert [u.busy_fraction for u in read.uses] == [0.62, 0.18, 0.05]


def test_names_with_commas_and_a_time_of_its_own(job):
    name = "Screen, big one"
    named = replace(job, devices=(replace(job.devices[0], name=name), *job.devices[1:]))
    for text in (f"Name;Signal;Time\n{name};-61,5;20:15\n", f'"Name","Signal","Time"\n"{name}",-61.5,20:15\n'):
        (seen,) = read_lists(named, text, AT).clients
        assert (seen.device_id, seen.rssi_dbm) == (job.devices[0].id, -61.5)
        assert seen.listed_at == "2026-03-02T20:15:00+01:00"


def test_a_hub_s_log(job):
    device = job.zigbee.devices[1]
    read = read_lists(job, f"device\tdue\treceived\n{device.name}\t120\t113\n", AT)
    (report,) = read.reports
    assert (report.device_id, report.sent, report.delivered, report.came_from) == (device.id, 120, 113, "hub's file")


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("", "line 1"),
        ("name,colour\nx,y", "line 1"),
        ("device,radio,level_dbm\n{d},2.4 GHz,-60", "line 2, radio"),
        ("device,radio,level_dbm\n{d},cellar,-60", "line 2, radio"),
        ("device,level_dbm\n{d},60", "line 2, level_dbm"),
        ("device,down_mb\n{d},much", "line 2, down_mb"),
        ("device,down_mb\nghost,5", "device"),
        ("radio,busy_percent\n{r},101", "line 2, busy_percent"),
        ("radio,time,busy_percent\n{r},25:00,10", "line 2, time"),
        ("radio,time,busy_percent\n{r},2026-03-02T20:00:00,10", "line 2, time"),
        ("device,sent,delivered\n{z},10,11", "line 2, delivered"),
        ("device,sent,delivered\n{z},10.5,9", "line 2, delivered"),
        ("device,level_dbm,time\n{d},-60,later", "line 2, time"),
        ("device,sent,delivered\nghost,10,9", "device"),
    ],
)
def test_what_is_wrong_is_named(job, text, field):
    filled = text.format(d=job.devices[0].id, r=job.radios[0].id, z=job.zigbee.devices[0].id)
    with pytest.raises(BadInput) as caught:
        read_lists(job, filled, AT)
    assert caught.value.field == field
    assert caught.value.accepted
