"""The house as GeoJSON and SVG, photographs of plans; held to RFC 7946, shapely and Pillow."""

from __future__ import annotations

import base64
import io
import json
from dataclasses import replace
from xml.etree import ElementTree as Xml

import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from even_static.core.errors import BadInput, EvenStaticError
from even_static.core.house.building import Building, Underlay
from even_static.core.house.job import Job, Photo
from even_static.core.house.walls import walls_of
from even_static.core.propagation.coverage import Coverage
from even_static.core.propagation.picture import picture
from even_static.core.propagation.section import section
from even_static.formats.house_geojson import read_house, write_house
from even_static.formats.house_svg import plan_svg, section_svg
from even_static.formats.photo import LARGEST_BYTES, LONGEST_SIDE_PX, packed, take_photo, unpacked
from even_static.instruments.simulated.demo import measure, world_of
from even_static.instruments.simulated.kiln_row import kiln_row
from even_static.instruments.simulated.lock_house import lock_house

SVG = "{http://www.w3.org/2000/svg}"


@pytest.fixture(scope="module")
def job() -> Job:
    world = world_of(kiln_row())
    return measure(world, "before")


@pytest.mark.parametrize("scenario", [kiln_row, lock_house])
def test_a_house_comes_back_as_it_was(scenario):
    building = scenario().job.building
    back = read_house(write_house(scenario().job))
    assert set(back.wall_changes) == set(building.wall_changes), "in whatever order"
    assert replace(back, wall_changes=building.wall_changes) == building


def test_what_is_written_is_geojson(job):
    """RFC 7946: rings closed and counter-clockwise (3.1.6), every feature with geometry and properties (3.2)."""
    data = json.loads(write_house(job))
    assert data["type"] == "FeatureCollection"
    kinds = set()
    for feature in data["features"]:
        shape = shapely.geometry.shape(feature["geometry"])
        assert shape.is_valid
        kinds.add(feature["properties"]["feature"])
        if feature["geometry"]["type"] == "Polygon" and feature["properties"]["feature"] == "room":
            assert shape.exterior.is_ccw
            assert feature["geometry"]["coordinates"][0][0] == feature["geometry"]["coordinates"][0][-1]
    assert kinds == {"room", "wall", "opening", "obstacle", "outlet", "node", "spot"}
    assert sum(f["properties"]["feature"] == "wall" for f in data["features"]) == len(walls_of(job.building))
    # A plan drawn elsewhere has no words of ours: its polygons are rooms.
    foreign = {
        "type": "FeatureCollection",
        "features": [
            {
                "type": "Feature",
                "properties": {"name": n},
                "geometry": {"type": "Polygon", "coordinates": [[[x, 0], [x, 3], [x + 4, 3], [x + 4, 0], [x, 0]]]},
            }
            for n, x in (("Salon", 0), ("Serre", 4))
        ],
    }
    read = read_house(json.dumps(foreign))
    assert [r.name for r in read.rooms] == ["Salon", "Serre"]
    assert shapely.Polygon(read.rooms[0].outline).exterior.is_ccw


def _room(**more):
    ring = [[0, 0], [4, 0], [4, 3], [0, 3], [0, 0]]
    feature = {
        "type": "Feature",
        "properties": {"feature": "room", "id": "r", "name": "R", "storey": 0, **more.pop("properties", {})},
        "geometry": {"type": "Polygon", "coordinates": [ring], **more.pop("geometry", {})},
    }
    return {"type": "FeatureCollection", "features": [feature], **more}


@pytest.mark.parametrize(
    ("data", "field"),
    [
        ("{", "GeoJSON"),
        ({"type": "Feature"}, "type"),
        ({"type": "FeatureCollection", "features": 3}, "features"),
        ({"type": "FeatureCollection", "features": []}, "features"),
        ({"type": "FeatureCollection", "features": [4]}, "features[0]"),
        (_room(properties={"storey": "attic"}), "features[0].properties.storey"),
        (_room(geometry={"coordinates": [[["a", 0], [1, 0], [1, 1]]]}), "features[0].geometry.coordinates"),
        (_room(geometry={"coordinates": [[[0, 0], [1, 0], [0, 0]]]}), "features[0].properties.outline"),
        (_room(geometry={"type": "Point", "coordinates": [0, 0]}), "features[0].geometry"),
        (_room(house={"units": "cubits"}), "house.units"),
        (_room(house={"storeys": [{"level": 3}]}), "building"),
        ({**_room(), "features": _room()["features"] * 10_000}, "features"),
    ],
)
def test_a_bad_house_is_named(data, field):
    with pytest.raises(BadInput) as caught:
        read_house(data if isinstance(data, str) else json.dumps(data))
    assert caught.value.field.startswith(field)


json_values = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False, allow_infinity=False) | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)


@given(st.dictionaries(st.sampled_from(["type", "geometry", "properties", "feature", "id"]), json_values), json_values)
def test_whatever_comes_is_a_house_or_a_clear_error(feature, house):
    text = json.dumps({"type": "FeatureCollection", "house": house, "features": [feature, _room()["features"][0]]})
    try:
        assert isinstance(read_house(text), Building)
    except EvenStaticError as error:
        assert error.message


def test_drawings_are_to_scale_and_show_everything(job):
    coverage = Coverage(job)
    shown = picture(coverage, 0, "5 GHz")
    root = Xml.fromstring(plan_svg(job, job.building, 0, shown))
    width_mm = float(root.get("width").removesuffix("mm"))
    box = [float(v) for v in root.get("viewBox").split()]
    rooms = [r for r in job.building.rooms if r.storey == 0]
    wide_m = max(x for r in rooms for x, _ in r.outline) - min(x for r in rooms for x, _ in r.outline)
    assert box[2] == pytest.approx(wide_m + 2)
    assert width_mm / box[2] == pytest.approx(10.0), "1 to 100"
    words = " ".join("".join(t.itertext()) for t in root.iter(f"{SVG}text"))
    assert "1 to 100" in words
    for name in [r.name for r in rooms] + ["Hall router", "Studio node", "−65", "dBm"]:
        assert name in words
    labels = {c.level_dbm for c in shown.contours if c.labels}
    assert all(f"−{-level}" in words for level in labels)
    cut = section(coverage, "5 GHz", "along")
    root = Xml.fromstring(section_svg(job, cut))
    assert "Landing node" in " ".join("".join(t.itertext()) for t in root.iter(f"{SVG}text"))
    assert len(list(root.iter(f"{SVG}path"))) > len(cut.walls) + len(cut.floors)
    awkward = replace(job, title='<&"> & so on')
    assert Xml.fromstring(plan_svg(awkward, job.building, 1)).find(f"{SVG}title").text.startswith('<&"> & so on')


def _picture(width=400, height=300, kind="PNG", **more) -> bytes:
    image = Image.new("RGB", (width, height), "white")
    ImageDraw.Draw(image).rectangle((0, 0, width // 4, height // 4), fill="black")
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


def test_a_photograph_is_made_upright_small_and_silent():
    """Orientation 6 of the EXIF standard: the camera lay on its side, the picture is turned a quarter clockwise."""
    exif = Image.Exif()
    exif[0x0112] = 6
    exif[0x010F] = "camera"
    taken = take_photo(_picture(4000, 3000, "JPEG", exif=exif))
    assert (taken.width_px, taken.height_px) == (1800, 2400)
    assert max(taken.width_px, taken.height_px) == LONGEST_SIDE_PX
    kept = Image.open(io.BytesIO(taken.jpeg))
    assert not kept.getexif()
    # The dark corner was at the upper left and is at the upper right now.
    assert kept.getpixel((1700, 60))[0] < 60
    assert kept.getpixel((60, 60))[0] > 200
    assert b"camera" not in taken.jpeg
    clear = io.BytesIO()
    Image.new("RGBA", (30, 30), (0, 0, 0, 0)).save(clear, "PNG")
    assert Image.open(io.BytesIO(take_photo(clear.getvalue()).jpeg)).getpixel((5, 5)) == (255, 255, 255)


@pytest.mark.parametrize(
    ("raw", "rule"),
    [
        (b"", "must be a picture"),
        (b"not a picture at all", "must be a picture"),
        (b"%PDF-1.7 and so on", "must be a picture"),
        (_picture()[:200], "must be whole"),
        (b"\xff" * (LARGEST_BYTES + 1), "must not be larger"),
        (_picture(20_000, 20_000, "PNG"), "must not have more pixels"),
    ],
)
def test_what_is_no_photograph_is_said_plainly(raw, rule):
    with pytest.raises(BadInput, match=rule) as caught:
        take_photo(raw)
    assert caught.value.field == "photo"


def test_photographs_go_along_in_a_job_file(job):
    taken = take_photo(_picture())
    underlay = Underlay(
        storey=0,
        photo_id=taken.id,
        width_px=taken.width_px,
        height_px=taken.height_px,
        x_m=0.0,
        y_m=3.0,
        metres_per_px=0.01,
    )
    with_one = replace(job, building=replace(job.building, underlays=(underlay,)))
    whole = packed(with_one, lambda _: taken.jpeg)
    bare, found = unpacked(whole)
    assert bare.photos == ()
    assert [f.width_px for f in found] == [taken.width_px]
    assert bare.building.underlays[0].photo_id == found[0].id
    bad = replace(whole, photos=(Photo(taken.id, base64.b64encode(b"nothing").decode()),))
    with pytest.raises(BadInput, match=r"photos\[0\]"):
        unpacked(bad)
