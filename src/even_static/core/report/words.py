"""What the chapters are made from, and how figures are said."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import datetime

from even_static.core.change.sheet import setting_text, ssid_plan_text
from even_static.core.house.job import Job
from even_static.core.house.kit import Node
from even_static.core.house.settings import Settings
from even_static.core.model.figures import Evaluation
from even_static.core.model.prepared_house import House
from even_static.core.model.violations import same_setting
from even_static.core.prove.before_after import Proof
from even_static.core.prove.follow_up import AfterCare


@dataclass(frozen=True, slots=True, kw_only=True)
class Known:
    """What the sections are made from."""

    job: Job
    house: House
    figures: Evaluation | None
    proof: Proof | None
    care: AfterCare
    now: str
    place: dict[str, str] = field(default_factory=dict)

    @property
    def before(self) -> Settings:
        """The settings before the change; the present ones where there was none."""
        return self.proof.before_settings if self.proof is not None else self.job.settings

    def node_of(self, radio_id: str) -> str:
        """A radio by its box and band."""
        radio = self.job.radio(radio_id)
        return f"{self.job.node_of(radio_id).name}, {radio.band}"


@dataclass(frozen=True, slots=True)
class SettingRow:
    """One setting of the house in words: of what, before the change, and after it."""

    what: str
    before: str
    after: str
    changed: bool


def setting_rows(k: Known) -> list[SettingRow]:
    """Every setting before and after the change, the same for the customer's page and the annex: radios, SSIDs and
    steering, links, the hub."""
    before = k.before
    after = k.proof.after_settings if k.proof is not None else k.job.settings
    known = {s.radio_id for s in before.radios}
    rows = [
        SettingRow(k.node_of(s.radio_id), setting_text(old), setting_text(s), not same_setting(old, s))
        for s in after.radios
        if s.radio_id in known
        for old in [before.of(s.radio_id)]
    ]
    names = ssid_plan_text(before.ssid_plan), ssid_plan_text(after.ssid_plan)
    rows.append(SettingRow("SSIDs and steering", *names, before.ssid_plan != after.ssid_plan))
    for node in k.job.nodes:
        if node.uplink is not None and node.uplink.band is not None:
            was, now = (_link_text(k.job, node, s) for s in (before, after))
            rows.append(SettingRow(f"Link of {node.name}", was, now, was != now))
    if after.zigbee_channel is not None:
        a, b = before.zigbee_channel, after.zigbee_channel
        rows.append(SettingRow("Zigbee hub", f"channel {a}", f"channel {b}", a != b))
    return rows


def _link_text(job: Job, node: Node, settings: Settings) -> str:
    """The band of a node's radio link, and the node that it goes to where it could go to several."""
    assert node.uplink is not None
    if node.self_forming:
        return "found by the mesh itself"
    moved = next((e for e in settings.link_bands if e.node_id == node.id), None)
    band = str(node.uplink.band if moved is None else moved.band)
    if not node.can_choose_parent:
        return band
    to_id = node.uplink.to_node_id if moved is None or moved.to_node_id is None else moved.to_node_id
    return f"{band} to {next(n.name for n in job.nodes if n.id == to_id)}"


def house_figures(e: Evaluation | None) -> dict[str, str]:
    """The house's figures in words by name; dashes where there are none."""
    return {
        "Problems": "-" if e is None else str(e.problems),
        "Headroom": "-" if e is None else times_text(e.headroom),
        "Weakest spot": "-" if e is None else db_text(e.weakest_spot_snr_db),
        "Worst Zigbee delivery": "-" if e is None else share_text(e.worst_zigbee_delivery),
    }


def name_of(job: Job, subject_id: str) -> str:
    """What the household calls a device or node."""
    named = {d.id: d.name for d in job.devices} | {n.id: n.name for n in job.nodes}
    for mesh in (job.zigbee, job.thread):
        named |= {d.id: d.name for d in mesh.devices} if mesh is not None else {}
    return named.get(subject_id, subject_id)


def spoken(k: Known, text: str) -> str:
    """Text with radios called by their box and band instead of their identifiers."""
    for radio in k.job.radios:
        text = re.sub(rf"(?<![\w.-]){re.escape(radio.id)}(?![\w.-])", k.node_of(radio.id), text)
    return text


def times_text(value: float | None) -> str:
    """A headroom, cut."""
    return "-" if value is None else "2x or more" if value >= 2 else f"{int(value * 100) / 100:.2f}x"


def db_text(value: float | None) -> str:
    """A level over noise."""
    return "-" if value is None else f"{value:.0f} dB"


def share_text(value: float | None) -> str:
    """A share, cut."""
    return "-" if value is None else f"{int(value * 1000) / 10:.1f} %"


def day_text(iso: str) -> str:
    """A day as ISO 8601 writes it; whoever shows it writes it as its reader does."""
    return f"{datetime.fromisoformat(iso):%Y-%m-%d}"


def time_text(iso: str) -> str:
    """A day and time of day as ISO 8601 writes them, without the offset: the report is by the house's clock."""
    return f"{datetime.fromisoformat(iso):%Y-%m-%d %H:%M}"
