"""Every reader of files takes damaged ones: it gives values, or says which rule does not hold; never anything else."""

from __future__ import annotations

import io
import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from tests.houses import random_house

from even_static.core.errors import EvenStaticError
from even_static.formats.energy_scan import read_energy
from even_static.formats.house_geojson import read_house, write_house
from even_static.formats.job_file import read_job, write_job
from even_static.formats.photo import take_photo
from even_static.formats.readings_csv import read_readings, write_readings
from even_static.formats.zigbee_links import read_links
from even_static.instruments.simulated.lock_house import lock_house

ODD = [b"null", b"1e999", b"-1", b'"', b"{}", b"\r"]
JOB = random_house(4, nodes=1, neighbours=4, devices=2)
AT = "2026-03-02T20:00:00Z"


def picture() -> bytes:
    out = io.BytesIO()
    Image.new("RGB", (40, 30), "white").save(out, "JPEG")
    return out.getvalue()


LINKS = [{"a_id": li.a_id, "b_id": li.b_id, "rssi_dbm": li.rssi_dbm} for li in JOB.zigbee.links[:4]]
READERS = {
    "job file": (write_job(lock_house().job).encode(), read_job),
    "readings": (write_readings(JOB.scans).encode()[:3000], lambda b: read_readings(b.decode("utf-8", "replace"))),
    "house": (write_house(lock_house().job).encode(), read_house),
    "energy": (
        b"channel,level_dbm\n11,-80\n15,-72.5\n20,-91\n",
        lambda b: read_energy(b.decode("utf-8", "replace"), "scan", "hall", AT, "file"),
    ),
    "energy, JSON": (
        json.dumps([{"channel": c, "level_dbm": -80.0} for c in range(11, 27)]).encode(),
        lambda b: read_energy(b.decode("utf-8", "replace"), "scan", "hall", AT, "file"),
    ),
    "links": (json.dumps(LINKS).encode(), lambda b: read_links(JOB, b.decode("utf-8", "replace"))),
    "photograph": (picture(), take_photo),
}


@pytest.mark.parametrize("kind", READERS)
def test_the_whole_file_is_read(kind):
    whole, read = READERS[kind]
    assert read(whole)


@pytest.mark.parametrize("kind", READERS)
@settings(max_examples=60)
@given(data=st.data())
def test_a_damaged_file_is_read_or_refused_in_words(kind, data):
    whole, read = READERS[kind]
    raw = bytearray(whole)
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, max(len(raw) - 1, 0)))
        length = data.draw(st.integers(0, 12))
        raw[at : at + length] = data.draw(
            st.binary(max_size=12) | st.sampled_from([b"null", b"1e999", b"-1", b'"', b"{}"])
        )
    if data.draw(st.booleans()):
        del raw[data.draw(st.integers(0, len(raw))) :]
    try:
        read(bytes(raw))
    except EvenStaticError as error:
        assert error.message
        assert error.rule
