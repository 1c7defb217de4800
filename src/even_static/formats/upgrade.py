"""Job files of older versions: their fields and values under the names of this one.

Version 2 speaks the field's own words (scans, SSID plan, A/B tests, likely causes, other sources) and says of a call
whether it is real or practice. Nothing but names changes.
"""

from __future__ import annotations

from typing import Any, Final

FIELDS_1_TO_2: Final[dict[str, str]] = {"listens": "scans", "trials": "ab_tests", "other_senders": "other_sources"}
# Fields that are renamed wherever they stand.
KEYS_1_TO_2: Final[dict[str, str]] = {
    "box_id": "equipment_id",
    "carries_well": "device_limit",
    "party_sides": "party_walls",
    "suspicion": "cause",
    "visits": "arm_runs",
}
VALUES_1_TO_2: Final[dict[str, dict[str, str]]] = {
    "school": {
        "one name": "one SSID",
        "split names": "split SSIDs",
        "one name and a split pair": "one SSID plus a split pair",
    },
    "suspicion": {
        "rivals": "co-channel neighbours",
        "half-overlap": "adjacent-channel neighbours",
        "clinging": "sticky client",
        "double router": "double NAT",
        "tired box": "tired router",
    },
    "shows": {"it is so": "confirmed", "it is not so": "ruled out"},
}
# The demo's nodes have addresses of their own: files of version 1 that hold them came from a simulated house.
DEMO_ADDRESSES: Final = "02:4b:52:"


def upgraded(data: dict[str, Any]) -> dict[str, Any]:
    """A job's JSON values as version 2 has them, from version 1; newer ones are given back as they are."""
    if data.get("version") not in (None, 1):
        return data
    found = {FIELDS_1_TO_2.get(k, k): upgraded_field(k, v) for k, v in data.items()}
    if "version" in data:
        found["version"] = 2
    if "kind" not in found:
        found["kind"] = "practice" if from_the_demo(data) else "real"
    return found


def from_the_demo(data: dict[str, Any]) -> bool:
    """Whether a job's own radios are those of a demo house."""
    nodes = data.get("nodes")
    lists = [n.get("radios") for n in nodes if isinstance(n, dict)] if isinstance(nodes, list) else []
    radios = [r for found in lists if isinstance(found, list) for r in found]
    return any(isinstance(r, dict) and str(r.get("bssid", "")).startswith(DEMO_ADDRESSES) for r in radios)


def upgraded_field(name: str, value: Any) -> Any:
    """A field's value, or an entry of its list, under the names of version 2. What has them already stays."""
    if name == "wiring" and isinstance(value, dict):
        value = _renamed(value, {"boxes": "line_equipment"})
        value["line_equipment"] = _each(value.get("line_equipment", []), _gateway)
    if name == "works":
        value = _each(value, lambda v: _renamed(v, {"way": "route", "way_m": "length_m"}))
    if name == "sheet" and isinstance(value, dict):
        value = {**value, "steps": _each(value.get("steps", []), _step)}
    return _walk(value)


def _gateway(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "kind": "provider's gateway"} if value.get("kind") == "provider's box" else value


def _step(value: dict[str, Any]) -> dict[str, Any]:
    kinds = {"box": "node", "names": "ssids"}
    kind = value.get("kind")
    return {**value, "kind": kinds.get(kind, kind)} if isinstance(kind, str) else value


def _each(value: Any, change: Any) -> Any:
    if isinstance(value, list):
        return [change(v) if isinstance(v, dict) else v for v in value]
    return change(value) if isinstance(value, dict) else value


def _renamed(value: dict[str, Any], names: dict[str, str]) -> dict[str, Any]:
    return {names.get(k, k): v for k, v in value.items()}


def _walk(value: Any) -> Any:
    if isinstance(value, list):
        return [_walk(v) for v in value]
    if not isinstance(value, dict):
        return value
    found: dict[str, Any] = {}
    items: dict[str, Any] = value
    for key, inner in items.items():
        values = VALUES_1_TO_2.get(key)
        if values is not None and isinstance(inner, str):
            inner = values.get(inner, inner)
        if key == "antennas":
            inner = _each(inner, lambda v: _renamed(v, {"heading_deg": "azimuth_deg"}))
        if key == "names" and isinstance(inner, dict):
            found["ssid_plan"] = _renamed(_walk(inner), {"school": "kind"})
            continue
        found[KEYS_1_TO_2.get(key, key)] = _walk(inner)
    return found
