"""Job files and CSV: exact round trips, and errors that name field, rule, what came and what is accepted."""

from __future__ import annotations

import json
from dataclasses import fields

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from tests.houses import random_house

from even_static.core.errors import BadInput, EvenStaticError, NewerVersion
from even_static.core.house.readings import Reading
from even_static.formats.job_file import job_to_data, read_job, schema, write_job
from even_static.formats.readings_csv import COLUMNS, read_readings, write_readings


@settings(max_examples=10, deadline=None)
@given(st.integers(0, 500))
def test_round_trip_is_exact(seed):
    job = random_house(seed, nodes=2, neighbours=10, radio_link=seed % 2 == 0)
    text = write_job(job)
    assert read_job(text) == job
    assert write_job(read_job(text)) == text


def test_demo_calls_round_trip_and_fit_the_schema(demo_store):
    validator = Draft202012Validator(schema())
    for number in (1, 2):
        job = demo_store.get(number).job
        data = json.loads(write_job(job))
        validator.validate(data)
        assert read_job(write_job(job)) == job
    data["nodes"][0]["radios"][0]["surprise"] = 1
    assert not validator.is_valid(data)


def test_every_field_of_the_schema_is_described():
    for name, definition in schema()["$defs"].items():
        for field, described in definition.get("properties", {}).items():
            assert described.get("description"), f"{name}.{field}"


def at(data, path):
    for key in path[:-1]:
        data = data[key]
    return data, path[-1]


# (path, new value, words that the error must hold)
WRONG = [
    (("version",), 99, ["version", "newer", "99", "2 and older"]),
    (("format",), "something", ["format", "something", "even-static-job"]),
    (("country",), "ZZ", ["country", "ZZ", "two capital letters"]),
    (("nodes", 0, "radios", 0, "widths_mhz"), [20, 80], ["n0-0", "80", "20 or 40", "2.4 GHz"]),
    (
        ("settings", "radios", 1, "width_mhz"),
        30,
        ["settings.radios[1].width_mhz", "n0-1", "30", "20, 40, 80, 160 or 320"],
    ),
    (("settings", "radios", 1, "width_mhz"), "80", ["width_mhz", "80"]),
    (("settings", "radios", 0, "eirp_dbm"), 100.0, ["eirp_dbm", "100", "at most 36 dbm"]),
    (("settings", "radios", 0, "channel"), 14, ["channel", "n0-0", "channels [1, 2"]),
    (("devices", 2, "place_id"), "attic", ["devices[2].place_id", "attic", "p0"]),
    (("devices", 0, "demand_down_mbps"), -1, ["demand_down_mbps", "-1", "at least 0 mbps"]),
    (("scans", 0, "heard_at"), "yesterday", ["scans[0].heard_at", "yesterday", "ISO 8601"]),
    (("scans", 0, "readings", 0, "rssi_dbm"), 40.0, ["rssi_dbm", "40", "at most 0 dbm"]),
    (("nodes", 1, "id"), "node0", ["nodes[1]", "unique", "node0"]),
    (("nodes", 0, "radios", 0, "bssid"), "router", ["bssid", "router", "hexadecimal"]),
    (("zigbee", "links", 0, "b_id"), "ghost", ["zigbee.links[0].b_id", "ghost"]),
    (("settings", "zigbee_channel"), 26, ["zigbee_channel", "26", "selectable"]),
]


@pytest.mark.parametrize(("path", "value", "words"), WRONG, ids=["-".join(map(str, w[0])) + f"={w[1]}" for w in WRONG])
def test_wrong_values_are_named(path, value, words):
    data = job_to_data(random_house(3, nodes=2))
    place, key = at(data, path)
    place[key] = value
    with pytest.raises(BadInput) as caught:
        read_job(json.dumps(data))
    for word in words:
        assert word in caught.value.message
    assert "\n" not in caught.value.message
    assert isinstance(caught.value, NewerVersion) == (value == 99)


def test_a_wrong_unit_is_told_which_one_is_meant():
    data = job_to_data(random_house(3))
    reading = data["scans"][0]["readings"][0]
    reading["rssi_mw"] = reading.pop("rssi_dbm")
    with pytest.raises(BadInput, match=r"rssi_(mw|dbm)") as caught:
        read_job(json.dumps(data))
    del reading["rssi_mw"]
    reading.update(rssi_dbm=-50.0, rssi_mw=1e-5)
    with pytest.raises(BadInput) as caught:
        read_job(json.dumps(data))
    assert "rssi_mw" in caught.value.message
    assert "rssi_dbm (units are part of the name)" in caught.value.message


@pytest.mark.parametrize("text", ["", "{", "[]", "null", '"job"', '{"format": "even-static-job"}', "{" * 5000, "\x00"])
def test_what_is_no_job_file(text):
    with pytest.raises(BadInput):
        read_job(text)


@settings(max_examples=60, deadline=None)
@given(st.data())
def test_no_damaged_job_gets_through_with_a_traceback(data):
    """Replace any one value by anything: either it is still a job, or a clear error comes."""
    document = job_to_data(random_house(1, nodes=1, neighbours=2, places=2, devices=2, zigbee_devices=1))
    here = document
    while True:
        key = data.draw(st.sampled_from(sorted(here) if isinstance(here, dict) else range(len(here))))
        if isinstance(here[key], dict | list) and here[key] and data.draw(st.booleans()):
            here = here[key]
            continue
        here[key] = data.draw(
            st.one_of(
                st.none(), st.booleans(), st.integers(-(10**6), 10**6), st.text(max_size=5), st.just([]), st.just({})
            )
        )
        break
    try:
        read_job(json.dumps(document))
    except EvenStaticError as error:
        assert error.field
        assert error.rule


def test_csv_round_trip(demo_store):
    scans = demo_store.get(2).job.scans
    back = read_readings(write_readings(scans))
    assert [(li.place_id, li.heard_at, li.readings) for li in back] == [
        (li.place_id, li.heard_at, li.readings) for li in scans
    ]


def test_csv_header_is_the_documented_one():
    assert COLUMNS[:2] == ("place_id", "heard_at")
    assert set(COLUMNS[2:]) == {f.name for f in fields(Reading)}


def test_csv_may_come_in_any_order_with_more_columns():
    text = "﻿note, rssi_dbm ,channel,bssid,band\nloud,-48,11,06:AA:BB:CC:DD:01,2.4 GHz\n"
    (scan,) = read_readings(text, place_id="hall", heard_at="2026-03-02T19:00:00Z")
    (reading,) = scan.readings
    assert (reading.bssid, reading.rssi_dbm, reading.centre_mhz, reading.width_mhz) == (
        "06:aa:bb:cc:dd:01",
        -48,
        2462,
        20,
    )


HEAD = "place_id,heard_at,bssid,band,channel,rssi_dbm\n"
GOOD = "hall,2026-03-02T19:00:00Z,06:00:00:00:00:01,5 GHz,36,-60\n"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", ["header"]),
        (HEAD, ["at least one reading"]),
        ("bssid,band,channel\n", ["rssi_dbm", "must have the column"]),
        (HEAD + GOOD + GOOD.replace("-60", "-60 dBm"), ["line 3, rssi_dbm", "without a unit", "-60 dBm"]),
        (HEAD + GOOD.replace("-60", "60"), ["line 2, rssi_dbm", "60", "at most 0"]),
        (HEAD + GOOD.replace("5 GHz", "5"), ["line 2", "band", "5"]),
        (HEAD + GOOD.replace("36", "37"), ["line 2", "37"]),
        (HEAD + GOOD.replace("36", "3x"), ["line 2, channel", "whole number", "3x"]),
        (HEAD + GOOD.replace("-60", "nan"), ["line 2, rssi_dbm", "nan"]),
        (HEAD + GOOD.replace("06:00", "06-00"), ["line 2, bssid"]),
    ],
)
def test_csv_with_wrong_values(text, words):
    with pytest.raises(BadInput) as caught:
        read_readings(text)
    for word in words:
        assert word in caught.value.message
