"""What speaks for and against each likely cause, from what was measured, typed and computed."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from copy import copy
from dataclasses import dataclass
from typing import Final

from even_static.core.checks.set_up import set_up
from even_static.core.explain.backhaul import Tree, tree
from even_static.core.explain.other_sources import air_users
from even_static.core.explain.problem_clients import on_gadget_network
from even_static.core.explain.reasons import zigbee_reasons
from even_static.core.explain.zigbee_help import hub_stands, hub_to_nearest_node
from even_static.core.house.complaint import CauseKind, Complaint
from even_static.core.house.devices import crowds
from even_static.core.house.settings import Settings
from even_static.core.model.evaluate import evaluate
from even_static.core.model.evening import Timeline, evening
from even_static.core.model.figures import Evaluation, arriving
from even_static.core.model.prepared_house import House
from even_static.core.propagation.stands import stand_of
from even_static.core.survey.line_or_wifi import line_or_wifi
from even_static.core.tables.causes import (
    BUSY_FRACTION,
    HARDLY,
    NOISE_DB,
    NOT,
    SOMEWHAT,
    STRONG_DBM,
    STRONGLY,
    WEAK_DBM,
)
from even_static.core.tables.materials import MOUNTING_DB
from even_static.core.tables.phy import DESIGN_LEVEL_DBM
from even_static.core.tables.zigbee import NEAR_WIFI_M, WANTED_DELIVERY


@dataclass(frozen=True, slots=True)
class Evidence:
    """What the house says about a likely cause, with its number, and the factor that it counts for."""

    text: str
    factor: float


class Known:
    """What the house says already, worked out once."""

    def __init__(self, house: House, settings: Settings) -> None:
        self.house, self.settings, self.job = house, settings, house.job
        self._ask(house.job.complaints)
        ready = bool(self.job.nodes)
        self.figures: Evaluation | None = evaluate(house, settings) if ready else None
        self.tree: Tree | None = tree(house, settings) if ready else None
        self.evening: list[Timeline] = evening(house, settings) if ready and house.job.scans else []

    def about(self, complaints: tuple[Complaint, ...]) -> Known:
        """The same, asked for some of the complaints only."""
        other = copy(self)
        other._ask(complaints)
        return other

    def _ask(self, complaints: tuple[Complaint, ...]) -> None:
        self.complaints = complaints
        self.places = {c.place_id for c in complaints if c.place_id}
        self.devices = {c.device_id for c in complaints if c.device_id}
        self.when = {c.when for c in complaints}

    def named(self, device_id: str, place_id: str) -> bool:
        """Whether a complaint is about this device, its place, or about nothing in particular."""
        if not self.devices and not self.places:
            return True
        return device_id in self.devices or place_id in self.places

    def radios(self) -> set[str]:
        """Radios that the devices complained of use."""
        if self.figures is None:
            return set()
        place = {d.id: d.place_id for d in self.job.devices}
        hit = [d for d in self.figures.devices if d.radio_id and self.named(d.device_id, place[d.device_id])]
        return {d.radio_id for d in hit if d.radio_id}


def evidence_for(kind: CauseKind, known: Known) -> Iterator[Evidence]:
    yield from _BY_KIND[kind](known)


def _line(k: Known) -> Iterator[Evidence]:
    verdict = line_or_wifi(k.job)
    if verdict.wired_down_mbps is not None and verdict.paid_down_mbps:
        share = verdict.wired_down_mbps.median / verdict.paid_down_mbps
        text = f"by cable {verdict.wired_down_mbps.median:.0f} of {verdict.paid_down_mbps:.0f} Mb/s that are paid for"
        yield Evidence(text, STRONGLY if share < 0.8 else NOT)
    elif verdict.wired_down_mbps is not None:
        yield Evidence(f"by cable {verdict.wired_down_mbps.median:.0f} Mb/s; nobody said what is paid for", HARDLY)
    if any(c.what == "everything is slow" for c in k.complaints):
        yield Evidence("everything is slow, not one room", SOMEWHAT)
    if k.places:
        yield Evidence("it is bad in some places and not in others", HARDLY)


def _coverage(k: Known) -> Iterator[Evidence]:
    if k.figures is None:
        return
    place = {d.id: d.place_id for d in k.job.devices}
    levels = [
        d.rssi_dbm for d in k.figures.devices if d.rssi_dbm is not None and k.named(d.device_id, place[d.device_id])
    ]
    lost = [d for d in k.figures.devices if d.rssi_dbm is None and k.named(d.device_id, place[d.device_id])]
    if any(d.radio_id is None and not d.carried for d in lost):
        yield Evidence("a device there has no link at all", STRONGLY)
    if levels:
        worst = min(levels)
        factor = (
            STRONGLY
            if worst < WEAK_DBM
            else SOMEWHAT
            if worst < DESIGN_LEVEL_DBM
            else NOT
            if worst > STRONG_DBM
            else HARDLY
        )
        read = any(d.rssi_dbm == worst and d.measured for d in k.figures.devices)
        text = (
            f"weakest level there {worst:.0f} dBm{'' if read else ', predicted'}; {DESIGN_LEVEL_DBM:.0f} is the design"
        )
        yield Evidence(text, factor if read else round(factor**0.5, 1))


def _rivals(k: Known) -> Iterator[Evidence]:
    if k.figures is None or not k.job.air_known:
        return
    busy = [(r.busy_fraction, r.radio_id) for r in k.figures.radios if r.radio_id in k.radios()]
    if busy:
        most, radio = max(busy)
        factor = STRONGLY if most > BUSY_FRACTION else SOMEWHAT if most > 0.3 else HARDLY
        yield Evidence(f"other networks take {most:.0%} of the airtime of {radio}", factor)
    if "in the evening" in k.when:
        yield Evidence("it is worst in the evening, when neighbours are home", SOMEWHAT)


def _half(k: Known) -> Iterator[Evidence]:
    if k.figures is None or not k.job.air_known:
        return
    noise = [(r.noise_rise_db, r.radio_id) for r in k.figures.radios if r.radio_id in k.radios()]
    if noise:
        most, radio = max(noise)
        text = f"half-heard senders raise the noise of {radio} by {most:.1f} dB"
        yield Evidence(text, STRONGLY if most > 2 * NOISE_DB else SOMEWHAT if most > NOISE_DB else HARDLY)


def _flapping(k: Known) -> Iterator[Evidence]:
    steered = k.settings.ssid_plan.high_band_from_dbm
    place = {d.id: d.place_id for d in k.job.devices}
    flaps = [t for t in k.evening if t.flaps and k.named(t.device_id, place[t.device_id])]
    if flaps:
        worst = max(flaps, key=lambda t: t.changes)
        name = next(d.name for d in k.job.devices if d.id == worst.device_id)
        yield Evidence(f"{name} would change or drop {worst.changes} times in an evening as it is set", STRONGLY)
    if steered is None:
        yield Evidence("steering is off", NOT)


def _clinging(k: Known) -> Iterator[Evidence]:
    place = {d.id: d.place_id for d in k.job.devices}
    sticky = [t for t in k.evening if t.sticky and k.named(t.device_id, place[t.device_id])]
    if sticky:
        yield Evidence(f"{len(sticky)} of the devices would hold a node that another beats by 8 dB", STRONGLY)
    if len(k.job.nodes) < 2:
        yield Evidence("there is one node only", 0.0)


def _link(k: Known) -> Iterator[Evidence]:
    hops = [h for h in (k.tree.hops if k.tree else []) if h.by != "cable"]
    if not hops:
        yield Evidence("every node hangs on a cable, or there is one only", 0.0)
        return
    worst = min(hops, key=lambda h: h.gets_mbps - h.carries_mbps)
    name = next(n.name for n in k.job.nodes if n.id == worst.node_id)
    if worst.level_source == "assumed":
        yield Evidence(f"nobody has read the level of the link to {name}", 1.0)
        return
    text = f"the link to {name} carries {worst.gets_mbps:.0f} Mb/s, {worst.carries_mbps:.0f} are wanted behind it"
    yield Evidence(text, STRONGLY if worst.gets_mbps < 1.2 * worst.carries_mbps else HARDLY)
    if worst.hops > 1:
        yield Evidence(f"{worst.hops} hops by radio one behind another", SOMEWHAT)


def _nodes(k: Known) -> Iterator[Evidence]:
    if len(k.job.nodes) < 2:
        yield Evidence("there is one node only", 0.0)
        return
    gone = [w for w in (k.tree.what_if if k.tree else []) if w.what.endswith("without it")]
    better = [w for w in gone if w.better]
    if better:
        yield Evidence(f"{better[0].what}: {better[0].problems} problems, fewer than now", STRONGLY)
    elif gone:
        yield Evidence("the house is worse without any of its nodes", NOT)


def _enclosure(k: Known) -> Iterator[Evidence]:
    stands = [(n.name, s.mounting) for n in k.job.nodes for s in [stand_of(k.job, n)] if s is not None]
    inside = [(name, m, MOUNTING_DB[m]["5 GHz"]) for name, m in stands if MOUNTING_DB[m]["5 GHz"] >= 3]
    if inside:
        name, mounting, loss = max(inside, key=lambda x: x[2])
        yield Evidence(f"{name} stands in or behind something ({mounting}): {loss:.0f} dB at 5 GHz", STRONGLY)
    elif stands:
        yield Evidence("no node stands in or behind anything", NOT)


def _double(k: Known) -> Iterator[Evidence]:
    weight = {"recommended": STRONGLY, "optional": SOMEWHAT, "ask": 1.0}
    first = next((f for f in set_up(k.job).findings if f.topic == "addresses"), None)
    if first is not None:
        yield Evidence(first.title, weight[first.urgency])
    elif k.tree is not None:
        yield Evidence("one router only is written down", HARDLY)


def _zigbee(k: Known) -> Iterator[Evidence]:
    if k.figures is None or not k.figures.zigbee:
        none = k.job.zigbee is None and k.job.thread is None
        yield Evidence("no mesh is written down" if none else "nobody has read the mesh's links", 0.0 if none else 1.0)
        return
    worst = min(k.figures.zigbee, key=lambda z: z.delivery)
    if worst.delivery >= WANTED_DELIVERY:
        yield Evidence(f"as set, every report should arrive ({arriving(worst.delivery)} at worst)", NOT)
        return
    hops = zigbee_reasons(k.house, k.settings, worst.device_id)
    top = next((i for h in hops[:1] for i in h.interferers if i.own), None)
    text = f"{arriving(worst.delivery)} of one device's reports arrive"
    if top is not None:
        text += f"; own radio {top.name} {top.said}"
    yield Evidence(text, STRONGLY if top is not None else SOMEWHAT)


def _hub(k: Known) -> Iterator[Evidence]:
    if k.job.zigbee is None:
        yield Evidence("there is no hub", 0.0)
        return
    node_id, near = hub_to_nearest_node(k.job)
    if near is None or node_id is None:
        return
    name = next(n.name for n in k.job.nodes if n.id == node_id)
    yield Evidence(hub_stands(near, name), STRONGLY if near < NEAR_WIFI_M else NOT)


def _oven(k: Known) -> Iterator[Evidence]:
    if "while something runs" in k.when:
        yield Evidence("it happens while something runs", STRONGLY)
    if k.job.other_sources and k.job.nodes:
        costly = [s for s in air_users(k.house, k.settings).senders if s.problems_running > s.problems_without]
        if costly:
            worst = max(costly, key=lambda s: s.problems_running - s.problems_without)
            more = worst.problems_running - worst.problems_without
            have = "device has" if more == 1 else "devices have"
            yield Evidence(f"while {worst.name} runs, {more} more {have} a problem", SOMEWHAT)
        else:
            yield Evidence("none of the other sources written down costs anything here", HARDLY)


def _throttled(k: Known) -> Iterator[Evidence]:
    gadgets = on_gadget_network(k.job, k.settings)
    if not gadgets:
        yield Evidence("no device is on a network for gadgets", NOT)
        return
    slow = [g for g in gadgets if g.throttled]
    if slow:
        text = f"{len(slow)} devices get {slow[0].gets_mbps:g} Mb/s there and want more"
        yield Evidence(text, STRONGLY)
    elif any(g.gets_mbps is None for g in gadgets):
        yield Evidence("nobody has measured what the network for gadgets lets through", SOMEWHAT)


def _tired(k: Known) -> Iterator[Evidence]:
    if k.figures is None:
        return
    counts = crowds(k.job, {d.device_id: d.radio_id for d in k.figures.devices})
    worst = max(counts, key=lambda c: c.devices / c.device_limit, default=None)
    if worst is not None:
        name = next(n.name for n in k.job.nodes if n.id == worst.node_id)
        text = f"{worst.devices} devices on {name}, which carries {worst.device_limit} well"
        yield Evidence(text, STRONGLY if worst.tired else HARDLY)


def _device(k: Known) -> Iterator[Evidence]:
    if len(k.devices) == 1:
        yield Evidence("one device only", SOMEWHAT)
    elif len(k.complaints) > 1 or not k.devices:
        yield Evidence("there is more than one complaint", HARDLY)


_BY_KIND: Final[dict[CauseKind, Callable[[Known], Iterator[Evidence]]]] = {
    "the line": _line,
    "coverage": _coverage,
    "co-channel neighbours": _rivals,
    "adjacent-channel neighbours": _half,
    "flapping by steering": _flapping,
    "sticky client": _clinging,
    "shared link": _link,
    "too many nodes": _nodes,
    "enclosure": _enclosure,
    "double NAT": _double,
    "Zigbee under Wi-Fi": _zigbee,
    "hub too close": _hub,
    "oven": _oven,
    "throttled network": _throttled,
    "tired router": _tired,
    "the device itself": _device,
}
