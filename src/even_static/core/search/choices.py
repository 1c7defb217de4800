"""What a whole search chooses among: links, steering, and the powers and bands of each radio."""

from __future__ import annotations

import itertools
from collections.abc import Iterable
from dataclasses import dataclass, replace

import numpy as np

from even_static.core.arrays import Bools, Floats
from even_static.core.house.kit import Node
from even_static.core.house.links import link_ends, link_radio, named_ends, on_one_block, parents_of
from even_static.core.house.settings import LinkBand, RadioSetting, Settings
from even_static.core.model.prepared_house import House
from even_static.core.model.steering import ssid_choices
from even_static.core.search.candidates import Rules, held_radios, offered_blocks, start_of
from even_static.core.tables.bands import BANDS, Band
from even_static.core.tables.clients import STEERING_DBM
from even_static.core.tables.phy import CLIENT_HIGH_BAND_DBM

# With more nodes on a band than this, one power step for all of them is tried beside their present ones; then each is
# refined.
EACH_ALONE = 1


MOST_CHOICES = 20_000


@dataclass(frozen=True, slots=True, eq=False)
class Choices:
    """Choices under one way of linking and naming: powers and switches by radio, both of shape (choices, radios).
    ``link_bands``: where the radio links are under all of them, those too that the mesh finds itself."""

    start: Settings
    link_bands: tuple[LinkBand, ...]
    eirp_dbm: Floats
    enabled: Bools

    def settings(self, n: int) -> Settings:
        """One of them as settings whose channels are still to be found."""
        radios = tuple(
            s if (s.eirp_dbm, s.enabled) == (e, on) else replace(s, eirp_dbm=e, enabled=on)
            for s, e, on in zip(self.start.radios, self.eirp_dbm[n].tolist(), self.enabled[n].tolist(), strict=True)
        )
        return replace(self.start, radios=radios)


def listed_choices(house: House, rules: Rules, pinned: Iterable[str] = ()) -> list[Choices]:
    """Every listed choice of power, on or off, link bands and steering; the present one first. Locked radios keep
    theirs; a radio that a radio link needs stays on."""
    job = house.job
    start = start_of(job, rules)
    names = [start.ssid_plan]
    held = held_radios(rules)
    if rules.held is not None and (rules.held.ssid_plan or rules.held.links):
        rules = replace(
            rules, steering=rules.steering and not rules.held.ssid_plan, links=rules.links and not rules.held.links
        )
    if rules.steering and all(n.steering != "nothing" for n in job.nodes):
        levels = STEERING_DBM if all(n.steering == "levels" for n in job.nodes) else (None, CLIENT_HIGH_BAND_DBM)
        names += [n for n in ssid_choices(job, levels) if n != start.ssid_plan]
    elif rules.steering and start.ssid_plan.high_band_from_dbm is not None:
        names.append(replace(start.ssid_plan, high_band_from_dbm=None))
    links = [start.link_bands, *(_link_choices(house) if rules.links else ())]
    by_band = [_band_choices(house, start, band, rules, frozenset(pinned) | held) for band in BANDS]
    index = house.radio_index
    rows = [[tuple((index[s.radio_id], s.eirp_dbm, s.enabled) for s in way) for way in part] for part in by_band]
    ways = list(itertools.islice(itertools.product(*rows), MOST_CHOICES))
    eirp, on = np.empty((len(ways), len(index))), np.empty((len(ways), len(index)), dtype=bool)
    for n, way in enumerate(ways):
        for r, e, enabled in itertools.chain.from_iterable(way):
            eirp[n, r], on[n, r] = e, enabled
    found = []
    # Under many ways of linking the same radios are needed: their choices are listed once.
    fitting: dict[tuple[int, ...], tuple[Floats, Bools]] = {}
    for link_bands in dict.fromkeys(links):
        for formed, mine in _formed(house, eirp, on, link_bands):
            needed = tuple(sorted(index[r] for r in _link_radios(house, formed) if start.of(r).enabled))
            if mine is not None:
                fits = np.logical_and(on[:, needed].all(axis=1), mine)
                choice = eirp[fits], on[fits]
            else:
                if needed not in fitting:
                    fits = np.asarray(on[:, needed].all(axis=1))
                    fitting[needed] = eirp[fits], on[fits]
                choice = fitting[needed]
            if len(choice[0]):
                found += [Choices(replace(start, ssid_plan=n, link_bands=link_bands), formed, *choice) for n in names]
    return found


def _formed(
    house: House, eirp: Floats, on: Bools, link_bands: tuple[LinkBand, ...]
) -> list[tuple[tuple[LinkBand, ...], Bools | None]]:
    """Where the radio links are and under which choices (choices,): under all of them (None) as they are set, but for a
    mesh that forms itself."""
    if house.forming is None:
        return [(link_bands, None)]
    numbers: dict[tuple[LinkBand, ...], int] = {}
    which = np.array([numbers.setdefault(way, len(numbers)) for way in house.formed(eirp, on, link_bands)])
    return [(way, which == n) for way, n in numbers.items()]


def _link_choices(house: House) -> list[tuple[LinkBand, ...]]:
    """Every way of putting the radio links on bands that both ends have."""
    job, each = house.job, []
    for node in job.nodes:
        if node.uplink is None or node.uplink.band is None or node.self_forming:
            continue
        parent = next(n for n in job.nodes if n.id == node.uplink.to_node_id)
        each.append([None, *link_choices_of(node, parent)])
    return [tuple(e for e in way if e is not None) for way in itertools.product(*each)]


def link_choices_of(node: Node, parent: Node) -> list[LinkBand]:
    """Every pair of radios of one band that could carry a node's link to a parent, but the present one. Radios are
    named only where a node has two of the band, the parent where it is another one than now."""
    up = node.uplink
    assert up is not None
    assert up.band is not None
    another = parent.id != up.to_node_id
    now = None
    if not another:
        now = link_radio(node, up.band, up.radio_id).id, link_radio(parent, up.band, up.to_radio_id).id
    found = []
    for far, near in itertools.product(node.radios, parent.radios):
        if far.band == near.band and (far.id, near.id) != now:
            ends = named_ends(node, far, parent, near)
            found.append(LinkBand(node.id, far.band, *ends, to_node_id=parent.id if another else None))
    return found


def other_links(house: House, settings: Settings, node: Node) -> list[Settings]:
    """The settings with a node's radio link on every other pair of radios, and to every other node that it can hang on,
    both ends on one block each time."""
    if node.self_forming:
        return []
    base = tuple(e for e in settings.link_bands if e.node_id != node.id)
    # Where the other nodes hang under these settings: one that hangs on this node now may have been its parent before.
    parents = parents_of(house.linked(settings).job.nodes, node)
    ways = [(*base, way) for parent in parents for way in link_choices_of(node, parent)]
    if node.uplink is not None and any(p.id == node.uplink.to_node_id for p in parents):
        ways.insert(0, base)
    return [tied(house, replace(settings, link_bands=w)) for w in ways if set(w) != set(settings.link_bands)]


def tied(house: House, settings: Settings) -> Settings:
    """The settings with every radio that follows another, such as the far end of a link, on that one's block."""
    radios = {s.radio_id: s for s in settings.radios}
    for leads, follows in on_one_block(house.linked(settings).job):
        to = radios[leads]
        radios[follows] = replace(radios[follows], channel=to.channel, width_mhz=to.width_mhz, centre_mhz=to.centre_mhz)
    return replace(settings, radios=tuple(radios[s.radio_id] for s in settings.radios))


def needed_by_links(house: House, settings: Settings) -> set[str]:
    """Radios that radio links are on."""
    return _link_radios(house, house.linked(settings).link_bands)


def _link_radios(house: House, link_bands: tuple[LinkBand, ...]) -> set[str]:
    job = house.linked_by(link_bands).job
    return {end for n in job.nodes for ends in [link_ends(job, n.id)] if ends is not None for end in ends}


def steps_of(house: House, setting: RadioSetting) -> list[float]:
    """A radio's power steps that some lawful block allows, the highest first; its own where it is locked or off."""
    radio = house.job.radio(setting.radio_id)
    if radio.locked or not setting.enabled:
        return [setting.eirp_dbm]
    most = max((b.max_eirp_dbm for b in offered_blocks(house.job, radio.id)), default=-np.inf)
    return sorted({e for e in (*radio.eirp_steps_dbm, setting.eirp_dbm) if e <= most}, reverse=True)


def _band_choices(
    house: House, start: Settings, band: Band, rules: Rules, pinned: frozenset[str]
) -> list[tuple[RadioSetting, ...]]:
    """Choices of power and of being on for the radios of one band, the present ones first."""
    present = tuple(s for s in start.radios if house.job.radio(s.radio_id).band == band)
    found = [present]
    if rules.power and present:
        steps = [[s.eirp_dbm] if s.radio_id in pinned else steps_of(house, s) for s in present]
        if len(present) <= EACH_ALONE:
            ways: Iterable[tuple[float, ...]] = itertools.product(*steps)
        else:
            common = sorted({e for options in steps for e in options}, reverse=True)
            ways = [
                tuple(max((e for e in options if e <= c), default=options[-1]) for options in steps) for c in common
            ]
        found += [tuple(replace(s, eirp_dbm=e) for s, e in zip(present, way, strict=True)) for way in ways]
    if rules.switch_off and band == "2.4 GHz" and len(present) > 1:
        free = [
            i
            for i, s in enumerate(present)
            if s.enabled and not house.job.radio(s.radio_id).locked and s.radio_id not in pinned
        ]
        for count in range(1, min(len(free), len(present) - 1) + 1):
            for off in itertools.combinations(free, count):
                found += [
                    tuple(replace(s, enabled=False) if i in off else s for i, s in enumerate(way))
                    for way in found[: 1 + len(found)]
                    if all(s.enabled for s in way)
                ]
    return list(dict.fromkeys(found))


def alone(house: House, settings: Settings) -> Choices:
    """One choice as a group of its own."""
    eirp = np.array([[s.eirp_dbm for s in settings.radios]])
    return Choices(
        settings, house.linked(settings).link_bands, eirp, np.array([[s.enabled for s in settings.radios]], dtype=bool)
    )
