"""Each country's lawful spectrum, from the open wireless-regdb data (derived by ``scripts/derive_regulatory.py``)."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import cache, lru_cache
from importlib.resources import files
from typing import Any

from even_static.core.errors import BadInput


@dataclass(frozen=True, slots=True, kw_only=True)
class Rule:
    """One stretch of spectrum: edges and widest channel in MHz, radiated power in dBm, and its conditions."""

    low_mhz: float
    high_mhz: float
    max_width_mhz: float
    max_eirp_dbm: float
    no_ofdm: bool
    indoor_only: bool
    dfs: bool
    no_initiating: bool
    auto_width: bool


@dataclass(frozen=True, slots=True)
class Country:
    """A regulatory domain: ISO 3166 code ("00" is the world), radar-detection region, rules and stricter cuts."""

    code: str
    dfs_region: str | None
    rules: tuple[Rule, ...]
    forbidden_mhz: tuple[tuple[float, float, str], ...]


@lru_cache(maxsize=1)
def _table() -> dict[str, Any]:
    text = files("even_static.core.tables").joinpath("regulatory.json").read_text("utf-8")
    table: dict[str, Any] = json.loads(text)
    return table


def edition() -> str:
    """Edition of the wireless-regdb data that the table was derived from."""
    return str(_table()["edition"])


def country_codes() -> tuple[str, ...]:
    """All regulatory domains in the table."""
    return tuple(_table()["countries"])


@cache
def country(code: str) -> Country:
    """The rules of one regulatory domain; BadInput when the table does not have it."""
    entry = _table()["countries"].get(code)
    if entry is None:
        raise BadInput(
            "country",
            "must be a regulatory domain of the channel table",
            code,
            'two capital letters such as "NL", or "00" for the world domain',
        )
    flags = ("no_ofdm", "indoor_only", "dfs", "no_initiating", "auto_width")
    rules = tuple(
        Rule(
            low_mhz=r["low_mhz"],
            high_mhz=r["high_mhz"],
            max_width_mhz=r["max_width_mhz"],
            max_eirp_dbm=r["max_eirp_dbm"],
            **{f: f in r["flags"] for f in flags},
        )
        for r in entry["rules"]
    )
    cuts = tuple((f["low_mhz"], f["high_mhz"], f["source"]) for f in entry["forbidden"])
    return Country(code, entry["dfs_region"], rules, cuts)
