"""Channel numbers and PHY rates against the tables of IEEE 802.11 and 802.15.4."""

from __future__ import annotations

import pytest

from even_static.core.airtime.frames import goodput_mbps
from even_static.core.airtime.rates import phy_rate_mbps, rate_steps
from even_static.core.errors import BadInput
from even_static.core.spectrum.channels import block_for, blocks, centres_mhz, channel_mhz, channel_of_mhz, zigbee_mhz
from even_static.core.tables.bands import BANDS

# IEEE 802.11-2020 annex E and 802.11ax/be channelisation, IEEE 802.15.4-2020 10.1.3.3; written down from memory.
CENTRES = [
    ("2.4 GHz", 1, 2412),
    ("2.4 GHz", 13, 2472),
    ("2.4 GHz", 14, 2484),
    ("5 GHz", 36, 5180),
    ("5 GHz", 165, 5825),
]
CENTRES += [("5 GHz", 144, 5720), ("6 GHz", 1, 5955), ("6 GHz", 93, 6415), ("6 GHz", 233, 7115)]
BLOCK_CENTRES = [("5 GHz", 80, 36, 42), ("5 GHz", 80, 157, 155), ("5 GHz", 160, 120, 114), ("5 GHz", 40, 48, 46)]
BLOCK_CENTRES += [("6 GHz", 160, 37, 47), ("6 GHz", 320, 1, 31), ("6 GHz", 80, 5, 7), ("6 GHz", 320, 97, 95)]

# IEEE 802.11 rate tables (HT 19-30, VHT 21-61, HE 27-79, EHT), shortest usual guard interval; from memory.
RATES = [
    ("802.11n", 7, 20, 1, 72.2),
    ("802.11n", 7, 40, 2, 300.0),
    ("802.11ac", 9, 80, 2, 866.7),
    ("802.11ac", 9, 160, 1, 866.7),
    ("802.11ax", 0, 20, 1, 8.6),
    ("802.11ax", 11, 20, 1, 143.4),
    ("802.11ax", 11, 80, 2, 1201.0),
    ("802.11ax", 11, 160, 2, 2402.0),
    ("802.11be", 13, 320, 2, 5764.7),
]


@pytest.mark.parametrize(("band", "channel", "mhz"), CENTRES)
def test_channel_centres(band, channel, mhz):
    assert channel_mhz(band, channel) == mhz
    assert channel_of_mhz(mhz) == channel


@pytest.mark.parametrize(("band", "width", "primary", "centre"), BLOCK_CENTRES)
def test_block_centres(band, width, primary, centre):
    assert block_for(band, primary, width).centre_mhz == channel_mhz(band, centre)


def test_counts_of_wide_blocks():
    """5 GHz has 14, 7 and 3 blocks of 40, 80 and 160 MHz; 6 GHz 29, 14, 7 and two sets of three (802.11be)."""
    assert [len(centres_mhz("5 GHz", w)) for w in (40, 80, 160)] == [14, 7, 3]
    assert [len(centres_mhz("6 GHz", w)) for w in (20, 40, 80, 160, 320)] == [59, 29, 14, 7, 6]


def test_every_block_holds_its_primary_and_lies_in_its_band():
    for band in BANDS:
        for width in (20, 40, 80, 160, 320):
            for block in blocks(band, width):
                assert block.primary_mhz in block.subchannels_mhz
                assert len(block.subchannels_mhz) == width // 20


def test_zigbee_centres():
    assert [zigbee_mhz(k) for k in (11, 15, 20, 25, 26)] == [2405, 2425, 2450, 2475, 2480]
    with pytest.raises(BadInput, match="11 to 26"):
        zigbee_mhz(27)


@pytest.mark.parametrize(("generation", "mcs", "width", "streams", "rate"), RATES)
def test_phy_rates(generation, mcs, width, streams, rate):
    assert phy_rate_mbps(generation, mcs, width, streams) == pytest.approx(rate, abs=0.06)  # tables give one digit


def test_weaker_links_never_carry_more():
    for generation in ("802.11b", "802.11g", "802.11n", "802.11ac", "802.11ax", "802.11be"):
        steps = rate_steps(generation, "2.4 GHz", 40, 2)
        assert (steps.goodput_mbps[1:] > steps.goodput_mbps[:-1]).all()
        assert (steps.level_dbm[1:] > steps.level_dbm[:-1]).all()


def test_a_wide_radio_falls_back_to_20_mhz_at_the_edge():
    wide, narrow = (rate_steps("802.11ax", "5 GHz", w, 2) for w in (80, 20))
    assert wide.goodput(-81.0) == narrow.goodput(-81.0) > 0


def test_goodput_stays_below_the_phy_rate():
    for rate in (1.0, 54.0, 143.4, 1201.0, 5765.0):
        for generation in ("802.11g", "802.11ac", "802.11be"):
            assert 0 < goodput_mbps(rate, generation, "5 GHz") / rate < 1
            assert goodput_mbps(rate * 1.1, generation, "5 GHz") > goodput_mbps(rate, generation, "5 GHz")
