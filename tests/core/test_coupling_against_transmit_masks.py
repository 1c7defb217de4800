"""Masks, filters and coupling against the standards' corner points and the trade's own rules."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from even_static.core.spectrum.channels import channel_mhz, zigbee_mhz
from even_static.core.spectrum.coupling import coupling_db, coupling_table_db, receive_filter_db, transmit_mask_db

KINDS = [("ofdm", 20), ("ofdm", 40), ("ofdm", 80), ("ofdm", 160), ("dsss", 20), ("zigbee", 2)]
kinds = st.sampled_from(KINDS)

# Corner points in MHz and dBr. IEEE 802.11ax-2021 27.3.19.1 (20 and 80 MHz), 802.11-2020 15.4.5.5 (DSSS),
# IEEE 802.15.4-2020 12.3.3; from memory.
CORNERS = [("ofdm", 20, 9.75, 0), ("ofdm", 20, 10.5, -20), ("ofdm", 20, 20, -28), ("ofdm", 20, 30, -40)]
CORNERS += [("ofdm", 80, 39.5, 0), ("ofdm", 80, 40.5, -20), ("ofdm", 80, 80, -28), ("ofdm", 80, 120, -40)]
CORNERS += [("dsss", 20, 10.9, 0), ("dsss", 20, 15, -30), ("dsss", 20, 23, -50), ("zigbee", 2, 3.5, -20)]


@pytest.mark.parametrize(("kind", "width", "offset", "dbr"), CORNERS)
def test_mask_corners(kind, width, offset, dbr):
    assert transmit_mask_db(np.array([offset, -offset]), kind, width) == pytest.approx([dbr, dbr], abs=1e-6)


@given(kinds, kinds)
def test_coupling_is_a_share_and_falls_with_the_offset(tx, rx):
    table = coupling_table_db(*tx, *rx)
    assert (table <= 0).all()
    assert (np.diff(table) <= 0).all()


@given(st.floats(-300, 300), kinds, kinds)
def test_coupling_does_not_know_left_from_right(offset, tx, rx):
    assert coupling_db(offset, *tx, *rx) == coupling_db(-offset, *tx, *rx)


@pytest.mark.parametrize("offset", [0, 5, 12, 20, 25])
def test_coupling_against_direct_integration(offset):
    """The same integral by scipy's adaptive quadrature; 0.15 dB allows for the table's 0.25 MHz grid at mask edges."""

    def psd(f):
        return 10 ** (transmit_mask_db(np.array(f), "ofdm", 20) / 10)

    def taken(f):
        return psd(f) * 10 ** (receive_filter_db(np.array(f - offset), "ofdm", 20) / 10)

    edges = sorted({-10.5, -9.75, 9.75, 10.5, 20.0, 30.0, offset - 10.0, offset + 10.0, offset - 11.0, offset + 11.0})
    total = quad(psd, -120, 120, points=edges, limit=400)[0]
    share = quad(taken, -120, 120, points=edges, limit=400)[0] / total
    assert coupling_db(offset, "ofdm", 20, "ofdm", 20) == pytest.approx(10 * np.log10(share), abs=0.15)


def test_receivers_reject_what_the_standard_requires():
    """Adjacent 16 dB and alternate 32 dB at the lowest rate: IEEE 802.11-2020 table 17-18, from memory."""
    co = coupling_db(0, "ofdm", 20, "ofdm", 20)
    assert co - coupling_db(20, "ofdm", 20, "ofdm", 20) >= 16
    assert co - coupling_db(40, "ofdm", 20, "ofdm", 20) >= 32


def test_wifi_in_a_zigbee_receiver_on_its_channel():
    """2 MHz of 16 to 20 MHz: 9 to 10 dB (common practice)."""
    assert -10.2 <= coupling_db(0, "ofdm", 20, "zigbee", 2) <= -9.0


def test_five_channels_apart_hardly_couple():
    """1, 6 and 11 are 25 MHz apart: 25 dB or more below one channel (common practice)."""
    assert coupling_db(25, "ofdm", 20, "ofdm", 20) <= coupling_db(0, "ofdm", 20, "ofdm", 20) - 25


@pytest.mark.parametrize("zigbee", [15, 20, 25, 26])
def test_zigbee_gaps(zigbee):
    """15, 20, 25 and 26 sit in or beyond the gaps of Wi-Fi 1, 6 and 11 (common practice)."""
    into = [coupling_db(channel_mhz("2.4 GHz", w) - zigbee_mhz(zigbee), "ofdm", 20, "zigbee", 2) for w in (1, 6, 11)]
    assert max(into) <= -25


def test_a_hub_on_24_leaves_wifi_1_to_6_clear():
    """Common practice of the trade: no Wi-Fi channel from 1 to 6 puts more than -40 dB into Zigbee 24."""
    for wifi in range(1, 7):
        assert coupling_db(channel_mhz("2.4 GHz", wifi) - zigbee_mhz(24), "ofdm", 20, "zigbee", 2) <= -40
    assert coupling_db(channel_mhz("2.4 GHz", 11) - zigbee_mhz(24), "ofdm", 20, "zigbee", 2) > -15
