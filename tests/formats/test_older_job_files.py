"""Job files of version 1 are read under the names of version 2, and nothing but names changes."""

from __future__ import annotations

import json

import pytest
from tests.houses import random_house

from even_static.formats.job_file import read_job, write_job
from even_static.formats.upgrade import KEYS_1_TO_2

OLD = {
    "format": "even-static-job",
    "version": 1,
    "title": "An older call",
    "country": "NL",
    "places": [{"id": "hall", "name": "Hall", "storey": 0}],
    "nodes": [
        {
            "id": "router",
            "name": "Router",
            "place_id": "hall",
            "carries_well": 40,
            "stand": {
                "storey": 0,
                "x_m": 1.0,
                "y_m": 1.0,
                "height_m": 1.0,
                "antennas": [{"tilt_deg": 30.0, "heading_deg": 90.0}],
            },
            "radios": [
                {
                    "id": "router-24",
                    "bssid": "02:11:22:00:00:01",
                    "ssid": "home",
                    "band": "2.4 GHz",
                    "generation": "802.11n",
                    "streams": 2,
                    "widths_mhz": [20, 40],
                    "eirp_steps_dbm": [14.0, 20.0],
                }
            ],
        }
    ],
    "settings": {
        "radios": [{"radio_id": "router-24", "channel": 6, "width_mhz": 20, "eirp_dbm": 20.0}],
        "names": {"school": "split names", "high_band_from_dbm": None},
    },
    "listens": [
        {
            "id": "l1",
            "place_id": "hall",
            "heard_at": "2026-01-02T18:00:00+01:00",
            "source": "capture",
            "bands": ["2.4 GHz"],
        }
    ],
    "answers": [
        {"suspicion": "double router", "shows": "it is not so", "answered_at": "2026-01-02T18:00:00+01:00", "note": "x"}
    ],
    "wiring": {
        "boxes": [{"id": "isp", "name": "Line box", "kind": "provider's box", "place_id": "hall"}],
        "cables": [{"a_id": "isp", "b_id": "router"}],
        "facts": [{"box_id": "isp", "mode": "passes through"}],
    },
    "works": [{"id": "c1", "to_node_id": "router", "from_id": "isp", "way": "along the outside", "way_m": 12.5}],
}


def test_a_file_of_version_1_is_read_under_the_names_of_version_2():
    job = read_job(json.dumps(OLD))
    assert job.version == 2
    assert job.kind == "real"
    assert [s.id for s in job.scans] == ["l1"]
    assert job.settings.ssid_plan.kind == "split SSIDs"
    assert job.nodes[0].device_limit == 40
    assert job.nodes[0].stand.antennas[0].azimuth_deg == 90.0
    assert (job.answers[0].cause, job.answers[0].shows) == ("double NAT", "ruled out")
    assert job.wiring.line_equipment[0].kind == "provider's gateway"
    assert job.wiring.facts[0].equipment_id == "isp"
    assert (job.works[0].route, job.works[0].length_m) == ("along the outside", 12.5)
    # What it is written as has the new names alone, and is read as the same.
    text = write_job(job)
    assert not set(KEYS_1_TO_2) & set(_keys(json.loads(text)))
    assert read_job(text) == job


def test_the_demo_s_old_files_are_practice_houses():
    node = json.loads(json.dumps(OLD["nodes"][0]))
    node["radios"][0]["bssid"] = "02:4b:52:00:01:00"
    assert read_job(json.dumps({**OLD, "nodes": [node]})).kind == "practice"


@pytest.mark.parametrize(
    "bad", [{"wiring": 3}, {"works": "x"}, {"sheet": {"steps": 5}}, {"nodes": [3]}, {"answers": {"shows": 1}}]
)
def test_what_does_not_fit_in_an_older_file_is_a_clear_error(bad):
    from even_static.core.errors import BadInput

    with pytest.raises(BadInput):
        read_job(json.dumps({**OLD, **bad}))


def test_files_of_version_2_stay_as_they_are():
    job = random_house(3, nodes=2)
    assert read_job(write_job(job)) == job


def _keys(value):
    if isinstance(value, list):
        for inner in value:
            yield from _keys(inner)
    if isinstance(value, dict):
        for key, inner in value.items():
            yield key
            yield from _keys(inner)
