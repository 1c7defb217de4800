"""Link tables as CSV and JSON."""

from __future__ import annotations

import json

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.houses import random_house

from even_static.core.errors import BadInput, EvenStaticError
from even_static.formats.zigbee_links import read_links

JOB = random_house(1, zigbee_devices=3)


def test_csv_and_json_say_the_same_and_the_weaker_way_counts():
    csv = "a_id,b_id,rssi_dbm\nhub,z0,-61\nz0,hub,-64.5\nHUB,Z1,-70\n"
    rows = [{"a_id": a, "b_id": b, "rssi_dbm": v} for a, b, v in (("hub", "z0", -61), ("z0", "hub", -64.5))]
    from_csv, from_json = read_links(JOB, csv), read_links(JOB, json.dumps({"links": rows}))
    assert from_csv[0] == from_json[0]
    assert from_csv[0].rssi_dbm == -64.5
    assert from_csv[1].b_id == "z1"


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("", "line 1"),
        ("from,to,lqi\nhub,z0,200", "line 1"),
        ("a_id,b_id,rssi_dbm\n", "links"),
        ("a_id,b_id,rssi_dbm\nhub,z9,-60", "line 2, b_id"),
        ("a_id,b_id,rssi_dbm\nhub,hub,-60", "line 2, b_id"),
        ("a_id,b_id,rssi_dbm\nhub,z0,200", "line 2, rssi_dbm"),
        ("[1, 2]", "links"),
        ("{", "links"),
        ('[{"a_id": "hub", "b_id": "z0", "rssi_dbm": null}]', "links[0], rssi_dbm"),
    ],
)
def test_a_bad_table_is_named(text, field):
    with pytest.raises(BadInput) as caught:
        read_links(JOB, text)
    assert caught.value.field == field


@given(st.text(max_size=60))
def test_whatever_comes_is_links_or_a_clear_error(text):
    try:
        assert read_links(JOB, text)
    except EvenStaticError as error:
        assert error.message
