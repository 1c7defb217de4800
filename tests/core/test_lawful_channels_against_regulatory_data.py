"""The channel table against the open wireless-regdb data and well-known national rules."""

from __future__ import annotations

import json
from importlib.resources import files
from pathlib import Path

import pytest
from scripts.derive_regulatory import derive

from even_static.core.errors import BadInput
from even_static.core.spectrum.channels import block_for
from even_static.core.spectrum.lawful import lawful_block, lawful_blocks
from even_static.core.tables import regulatory
from even_static.core.tables.bands import BANDS
from even_static.core.tables.low_power_indoor import LOW_POWER_INDOOR

DATABASE = Path(__file__).parent.parent / "reference" / "regulatory.db"


def lawful_channels(code):
    """The 20 MHz channels that an access point may use, by band."""
    return {band: tuple(b.block.channel for b in lawful_blocks(code, band, 20, False)) for band in BANDS}


def test_shipped_table_is_what_the_script_derives():
    """tests/reference/regulatory.db is Debian's wireless-regdb of the edition that the table names (ISC licence)."""
    table = json.loads(files("even_static.core.tables").joinpath("regulatory.json").read_text())
    assert table["countries"] == derive(DATABASE.read_bytes())
    assert len(table["countries"]) >= 180
    assert regulatory.edition() == table["edition"] != "unknown"


# What national rules are widely known to be; common practice, and the data's own figures.
@pytest.mark.parametrize(
    ("country", "open_24", "closed_24"),
    [
        ("US", range(1, 12), (12, 13)),
        ("NL", range(1, 14), ()),
        ("JP", range(1, 14), (14,)),
        ("00", range(1, 12), (13,)),
    ],
)
def test_24_ghz(country, open_24, closed_24):
    found = lawful_channels(country)["2.4 GHz"]
    assert set(open_24) <= set(found)
    assert not set(closed_24) & set(found)


def test_radar_channels_of_the_etsi_domain():
    """ETSI EN 301 893: radar detection from 5250 MHz on, not in 5150 to 5250; from memory."""
    dfs = {b.block.channel: b.dfs for b in lawful_blocks("DE", "5 GHz", 20)}
    assert not any(dfs[c] for c in (36, 40, 44, 48))
    assert all(dfs[c] for c in (52, 64, 100, 140))


def test_160_mhz_over_5150_to_5350_exists_by_joining_rules():
    block = lawful_block("NL", block_for("5 GHz", 36, 160))
    assert block is not None
    assert block.dfs
    assert block.indoor_only
    assert block.max_eirp_dbm == 20


def test_no_initiating_is_closed_to_access_points():
    assert lawful_channels("00")["5 GHz"] == ()
    assert not lawful_blocks("US", "6 GHz", 20, outdoors=True)


@pytest.mark.parametrize(("width_mhz", "most_dbm"), [(20, 18.0), (40, 21.0), (80, 24.0), (160, 27.0), (320, 30.0)])
def test_low_power_indoor_at_6_ghz_in_the_us(width_mhz, most_dbm):
    """47 CFR 15.407: 5 dBm/MHz and at most 30 dBm e.i.r.p. under a roof; from memory."""
    found = lawful_blocks("US", "6 GHz", width_mhz)
    assert found
    for block in found:
        assert block.max_eirp_dbm == pytest.approx(most_dbm, abs=0.1)
        assert block.indoor_only
        assert not block.dfs


def test_low_power_indoor_loosens_nothing_else():
    """Every block of every country is as the derived table has it, but for what the overlay names."""
    # RSS-248 ends at 6875 MHz (from memory): above it stays what the table says.
    above = [b for b in lawful_blocks("CA", "6 GHz", 20) if b.block.centre_mhz > 6875]
    assert {b.max_eirp_dbm for b in above} == {12.0}
    plain = {"US", "CA"}
    for code in ("NL", "GB", "JP", "AU", "BR", "KR"):
        for block in lawful_blocks(code, "6 GHz", 80):
            rules = [r for r in regulatory.country(code).rules if r.low_mhz < 7125 and r.high_mhz > 5925]
            assert block.max_eirp_dbm <= max(r.max_eirp_dbm for r in rules)
    assert {c for c, rule in LOW_POWER_INDOOR.items() if rule.opens} == plain
    # EU decision 2021/1067: 10 dBm/MHz is 23 dBm in 20 MHz; from memory.
    assert all(b.max_eirp_dbm <= 23.0 for b in lawful_blocks("DE", "6 GHz", 20))


def test_indoor_only_is_closed_outdoors():
    assert lawful_blocks("NL", "6 GHz", 20)
    assert not lawful_blocks("NL", "6 GHz", 20, outdoors=True)


def test_weather_radar_in_canada_is_closed():
    """5600 to 5650 MHz: ISED RSS-247 6.2.3, from memory."""
    assert not {120, 124, 128} & set(lawful_channels("CA")["5 GHz"])


def test_no_lawful_block_leaves_its_country_s_rules():
    for code in regulatory.country_codes():
        rules = [r for r in regulatory.country(code).rules if not r.no_initiating and not r.no_ofdm]
        for band in BANDS:
            for width in (20, 40, 80, 160, 320):
                # Outdoors where an overlay opens what is under a roof.
                overlaid = band == "6 GHz" and code in {c for c, rule in LOW_POWER_INDOOR.items() if rule.opens}
                for lawful in lawful_blocks(code, band, width, outdoors=overlaid):
                    for low, high in lawful.block.segments_mhz:
                        inside = [r for r in rules if r.low_mhz < high and r.high_mhz > low]
                        assert sum(min(r.high_mhz, high) - max(r.low_mhz, low) for r in inside) >= high - low
                        assert lawful.max_eirp_dbm <= min(r.max_eirp_dbm for r in inside)
                        assert width <= max(r.max_width_mhz for r in inside) or all(r.auto_width for r in inside)


def test_unknown_country_is_named():
    with pytest.raises(BadInput, match=r"country: .*received ZZ"):
        regulatory.country("ZZ")
