"""Free space, slabs, antennas and the whole house's slope, held to published formulas and independent libraries."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from even_static.core.errors import BadInput
from even_static.core.house.building import Antenna, Build, Building
from even_static.core.house.typed import add_typed
from even_static.core.propagation.geometry import geometry_of
from even_static.core.propagation.loss import (
    antenna_gain_db,
    build_loss_db,
    dipole_gain_dbi,
    free_space_db,
    home_loss_db,
    slab_loss_db,
)
from even_static.core.tables.bands import BANDS
from even_static.core.tables.materials import CLUTTER_DB_PER_M, LOSS_GHZ, P2040
from even_static.core.tables.propagation import P1238_DECADE_DB, P1238_FLOOR_DB

REFERENCE = Path(__file__).parent.parent / "reference"
SLABS = json.loads((REFERENCE / "slab_losses.json").read_text())["rows"]


# ITU-R P.525-4: 4 pi d f / c, from its definition. The formula's constant is rounded to 0.01 dB.
@pytest.mark.parametrize("mhz", [2450.0, 5500.0, 6500.0])
def test_free_space_is_the_definition(mhz):
    for metres in (1.0, 5.0, 40.0):
        definition = 20 * np.log10(4 * np.pi * metres * mhz * 1e6 / 299_792_458)
        assert_allclose(free_space_db(mhz, metres), definition, atol=0.01)


def test_free_space_at_one_metre_is_the_handbook_s():
    # Handbook values at 1 m for 2.45, 5.5 and 6.5 GHz, as printed in the project's model notes.
    assert_allclose(free_space_db(np.array([2450, 5500, 6500]), 1.0), [40.23, 47.26, 48.71], atol=0.02)


# Losses by a ray-tracing library's own ITU-R P.2040 material table and slab function (sionna-rt 2.2.0), frozen by
# scripts/freeze_slab_losses.py. Its table is a later edition's reading of the same constants: within 0.05 dB.
@pytest.mark.parametrize("row", SLABS, ids=lambda r: f"{r['material']}-{r['thickness_m']}-{r['frequency_ghz']}")
def test_slabs_agree_with_a_ray_tracer(row):
    assert_allclose(slab_loss_db(row["material"], row["thickness_m"], row["frequency_ghz"]), row["loss_db"], atol=0.05)


# The same slab as a cascade of transmission lines in scikit-rf: another way to the same physics.
@pytest.mark.parametrize("material", sorted(P2040))
@pytest.mark.parametrize("ghz", [2.45, 5.5, 6.5])
def test_slabs_agree_with_transmission_lines(material, ghz):
    skrf = pytest.importorskip("skrf")
    a, b, c, d = P2040[material]
    omega = 2 * np.pi * ghz * 1e9
    eps = complex(a * ghz**b, -c * ghz**d / (omega * 8.8541878128e-12))
    frequency = skrf.Frequency(ghz, ghz, 1, unit="GHz")
    z_air = 376.730313668
    line = skrf.media.DefinedGammaZ0(
        frequency, z0=z_air / np.sqrt(eps), gamma=1j * omega / 299_792_458.0 * np.sqrt(eps), z0_port=z_air
    )
    s21 = line.line(0.1, "m").s[0, 1, 0]
    assert_allclose(slab_loss_db(material, 0.1, ghz), -20 * np.log10(abs(s21)), atol=0.01)


def test_unknown_materials_are_refused():
    with pytest.raises(BadInput, match=r"P\.2040"):
        slab_loss_db("cheese", 0.1, 2.45)


@given(st.sampled_from(sorted(P2040)), st.floats(0.001, 1.0), st.integers(1, 6), st.sampled_from(BANDS))
def test_walls_never_amplify_and_never_exceed_what_goes_round(material, thickness, leaves, band):
    loss = build_loss_db(Build(material, thickness, leaves), band)
    assert -1e-9 <= loss <= 40


# Balanis, Antenna Theory 4.6 (from memory): directivity of a half-wave dipole is 1.643 = 2.15 dBi, and its pattern
# holds unit power over the sphere.
def test_the_dipole_radiates_what_it_is_given():
    assert_allclose(dipole_gain_dbi(np.pi / 2), 2.15, atol=0.01)
    theta = np.linspace(1e-4, np.pi - 1e-4, 20_001)
    power = 10 ** (dipole_gain_dbi(theta) / 10)
    total = np.sum((power * np.sin(theta))[1:] + (power * np.sin(theta))[:-1]) / 2 * (theta[1] - theta[0]) / 2
    assert_allclose(total, 1.0, atol=0.002)
    assert np.isneginf(dipole_gain_dbi(0.0))


def test_rods_fall_off_along_their_axis_and_share_their_power():
    out, up = np.array([[5.0, 0, 0]]), np.array([[0, 0, 3.0]])
    upright = (Antenna(0.0),)
    assert_allclose(antenna_gain_db(upright, out), 0, atol=1e-6)
    assert_allclose(antenna_gain_db(upright, up), -10, atol=1e-6)
    laid = (Antenna(0.0), Antenna(0.0), Antenna(90.0, 90.0))
    # One of three laid over: upstairs gets a third of the power (and a tenth of the rest), -4.0 dB; before -10 dB.
    assert_allclose(antenna_gain_db(laid, up), 10 * np.log10((1 + 0.1 + 0.1) / 3), atol=0.01)
    assert antenna_gain_db(laid, out)[0] < 0
    assert_allclose(antenna_gain_db((), up), 0)


# ITU-R P.1238-12 table 2 (from memory): residential distance power loss coefficient N about 28 at 2.4 GHz and 28 to 30
# at 5 GHz, as a slope of N log10 d; houses vary, so 4 either way. A row of rooms, measured through its walls.
def test_the_slope_of_a_row_of_rooms_is_the_standard_s():
    building = Building(house_type="brick terrace")
    for i in range(5):
        building, _ = add_typed(building, f"room{i} 3.5 4.0")
    geometry = geometry_of(building)
    metres = np.arange(1.0, 16.0, 0.25)
    xy = np.stack([metres + 0.5, np.full(len(metres), 2.0)], axis=1)
    crossed = geometry.crossed((0.5, 2.0, 1.2), xy, 1.2)
    for band, least, most in (("2.4 GHz", 24, 32), ("5 GHz", 24, 34)):
        walls = geometry.loss_db[BANDS.index(band)] @ crossed
        loss = free_space_db(LOSS_GHZ[band] * 1000, metres) + CLUTTER_DB_PER_M[band] * metres + walls
        slope = np.polyfit(np.log10(metres), loss, 1)[0]
        assert least <= slope <= most, (band, slope)


def test_the_loss_of_a_home_begins_as_free_space_does():
    """ITU-R P.1238's constant, 28 dB, is free space (ITU-R P.525) at a metre to half a dB; a decade further it is N
    more, and each floor adds what its table says."""
    for band in BANDS:
        at_a_metre = float(home_loss_db(band, 1.0, 0))
        assert_allclose(at_a_metre, float(free_space_db(LOSS_GHZ[band] * 1000, 1.0)), atol=0.5)
        assert_allclose(home_loss_db(band, [0.2, 10.0], [0, 0]), [at_a_metre, at_a_metre + P1238_DECADE_DB[band]])
        assert_allclose(home_loss_db(band, 10.0, 2) - home_loss_db(band, 10.0, 0), 2 * P1238_FLOOR_DB[band])
