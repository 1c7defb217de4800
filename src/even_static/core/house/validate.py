"""Rules of a job that span several fields: unique names, references that lead somewhere, widths that a band has."""

from __future__ import annotations

from even_static.core.errors import BadInput
from even_static.core.house.ab_test import BOUNDS
from even_static.core.house.basics import unique
from even_static.core.house.clock import check_time_zone
from even_static.core.house.job import Job
from even_static.core.house.kit import HUB_ID, Node
from even_static.core.house.links import may_hang_on
from even_static.core.house.other_sources import BORDER_ID
from even_static.core.house.readings import Reading
from even_static.core.house.settings import LinkBand, Settings, setting_block
from even_static.core.house.validate_building import validate_building, validate_in_building
from even_static.core.house.validate_kit import (
    ODD_CHANNELS,
    POSSIBLE,
    require_known,
    validate_devices,
    validate_end,
    validate_radio,
    validate_uplinks,
    validate_width,
    validate_wiring,
)
from even_static.core.spectrum.channels import CHANNELS_20MHZ
from even_static.core.tables.regulatory import country


def validate_settings(job: Job, settings: Settings, path: str = "settings") -> None:
    """Raise BadInput unless the settings name every radio once and put each on a block that its band has."""
    wanted = {r.id: r for r in job.radios}
    unique(f"{path}.radios", (s.radio_id for s in settings.radios))
    for i, setting in enumerate(settings.radios):
        here = f"{path}.radios[{i}]"
        require_known(f"{here}.radio_id", setting.radio_id, set(wanted))
        radio = wanted[setting.radio_id]
        validate_width(f"{here}.width_mhz", radio.band, setting.width_mhz, f'radio "{radio.id}"')
        try:
            setting_block(radio, setting)
        except BadInput as error:
            raise BadInput(
                f"{here}.{error.field}", f'{error.rule} (radio "{radio.id}")', error.received, error.accepted
            ) from None
    missing = set(wanted) - {s.radio_id for s in settings.radios}
    if missing:
        raise BadInput(f"{path}.radios", "must hold a setting for every radio", f"none for {sorted(missing)}", "")
    _names(job, settings, path)
    if (job.zigbee is None) != (settings.zigbee_channel is None):
        raise BadInput(
            f"{path}.zigbee_channel",
            "must be given exactly when the job has a Zigbee hub",
            settings.zigbee_channel,
            "11 to 26 with a hub, null without",
        )


def _names(job: Job, settings: Settings, path: str) -> None:
    devices = {d.id: d for d in job.devices}
    unique(f"{path}.ssid_plan.bands", (b.device_id for b in settings.ssid_plan.bands))
    for i, entry in enumerate(settings.ssid_plan.bands):
        here = f"{path}.ssid_plan.bands[{i}]"
        require_known(f"{here}.device_id", entry.device_id, set(devices))
        if entry.band not in devices[entry.device_id].bands:
            came, can = entry.band, ", ".join(devices[entry.device_id].bands)
            raise BadInput(f"{here}.band", f'must be a band of "{devices[entry.device_id].name}"', came, can)
    for i, device_id in enumerate(settings.ssid_plan.device_network):
        require_known(f"{path}.ssid_plan.device_network[{i}]", device_id, set(devices))
    if settings.ssid_plan.bands and settings.ssid_plan.kind == "one SSID":
        raise BadInput(f"{path}.ssid_plan.bands", "must be empty where there is one SSID only", "some", "split SSIDs")
    radios = {r.id: r for r in job.radios}
    unique(f"{path}.ssid_plan.backhaul_only", settings.ssid_plan.backhaul_only)
    for i, radio_id in enumerate(settings.ssid_plan.backhaul_only):
        here = f"{path}.ssid_plan.backhaul_only[{i}]"
        require_known(here, radio_id, set(radios))
        if not radios[radio_id].can_be_backhaul_only:
            can = ", ".join(r.id for r in job.radios if r.can_be_backhaul_only) or "none of this kit"
            raise BadInput(here, "must be a radio that devices can be kept off", radio_id, can)
    nodes = {n.id: n for n in job.nodes}
    unique(f"{path}.link_bands", (e.node_id for e in settings.link_bands))
    for i, link in enumerate(settings.link_bands):
        here = f"{path}.link_bands[{i}]"
        require_known(f"{here}.node_id", link.node_id, set(nodes))
        if nodes[link.node_id].self_forming:
            whose = f"{link.node_id} of a mesh that forms itself"
            raise BadInput(f"{here}.node_id", "must be a node whose link can be set", whose, "none: the mesh finds it")
        uplink = nodes[link.node_id].uplink
        if uplink is None or uplink.band is None:
            raise BadInput(f"{here}.node_id", "must hang on a radio link", link.node_id, "a node without cable")
        ends = (nodes[link.node_id], _parent(nodes, link, here))
        both = [r.band for r in ends[0].radios if any(o.band == r.band for o in ends[1].radios)]
        if link.band not in both:
            raise BadInput(f"{here}.band", "must be a band that both ends have", link.band, ", ".join(both))
        validate_end(f"{here}.radio_id", ends[0], link.radio_id, link.band)
        validate_end(f"{here}.to_radio_id", ends[1], link.to_radio_id, link.band)
    _no_circle(nodes, settings.link_bands, f"{path}.link_bands")


def _no_circle(nodes: dict[str, Node], links: tuple[LinkBand, ...], path: str) -> None:
    """Every node must reach a router when all links are put as wanted."""
    wanted = {e.node_id: e.to_node_id for e in links if e.to_node_id is not None}
    above = {n.id: wanted.get(n.id) or n.uplink.to_node_id for n in nodes.values() if n.uplink is not None}
    for node_id in above:
        way, at = [node_id], node_id
        while at in above:
            at = above[at]
            if at in way:
                raise BadInput(path, "must lead every node to the router", " to ".join([*way, at]), "another parent")
            way.append(at)


def _parent(nodes: dict[str, Node], link: LinkBand, path: str) -> Node:
    """The node that a link goes to: another one only where the box lets one say which. Circles are looked for with all
    links put: one that hangs on this node now may be put elsewhere itself."""
    node = nodes[link.node_id]
    assert node.uplink is not None
    if link.to_node_id is None or link.to_node_id == node.uplink.to_node_id:
        return nodes[node.uplink.to_node_id]
    require_known(f"{path}.to_node_id", link.to_node_id, set(nodes))
    if not may_hang_on(node, nodes[link.to_node_id]):
        can = ", ".join(n.id for n in nodes.values() if may_hang_on(node, n)) or "none: it does not let one choose"
        raise BadInput(f"{path}.to_node_id", "must be another node that it can hang on", link.to_node_id, can)
    return nodes[link.to_node_id]


def validate_job(job: Job) -> None:
    """Raise BadInput for the first rule of the job that does not hold. Present settings may be unlawful: a finding."""
    country(job.country)
    if job.time_zone is not None:
        check_time_zone(job.time_zone)
    places = unique("places", (p.id for p in job.places))
    nodes = unique("nodes", (n.id for n in job.nodes))
    unique("radios", (r.id for r in job.radios))
    unique("bssids", (r.bssid for r in job.radios))
    for i, node in enumerate(job.nodes):
        here = f"nodes[{i}]"
        require_known(f"{here}.place_id", node.place_id, places)
        if node.uplink is not None:
            require_known(f"{here}.uplink.to_node_id", node.uplink.to_node_id, nodes - {node.id})
        for k, radio in enumerate(node.radios):
            validate_radio(f"{here}.radios[{k}]", radio)
    validate_uplinks(job)
    validate_wiring(job, places)
    _in_building(job)
    validate_settings(job, job.settings)
    validate_devices(job, places, nodes)
    _zigbee(job, places)
    _on_the_air(job, places)
    _work(job, places)
    unique("plans", (p.id for p in job.plans))
    _scans(job, places)
    _walk(job, places)
    _tests(job, places)


def _tests(job: Job, places: set[str]) -> None:
    for i, test in enumerate(job.speed_tests):
        require_known(f"speed_tests[{i}].place_id", test.place_id, places)
    # A radio that was listed may have gone since, as one that was heard may; a device goes with its lines.
    devices = {d.id for d in job.devices}
    for i, seen in enumerate(job.client_list):
        require_known(f"client_list[{i}].device_id", seen.device_id, devices)
    zigbee_ids = {d.id for d in job.zigbee.devices} if job.zigbee else set()
    for i, report in enumerate(job.zigbee_reports):
        require_known(f"zigbee_reports[{i}].device_id", report.device_id, zigbee_ids)
        if report.delivered > report.sent:
            raise BadInput(
                f"zigbee_reports[{i}].delivered", "must not exceed sent", report.delivered, f"<= {report.sent}"
            )


def _in_building(job: Job) -> None:
    for i, place in enumerate(job.places):
        if (place.x_m is None) != (place.y_m is None):
            raise BadInput(f"places[{i}].y_m", "must be given together with x_m", place.y_m, "both or neither")
    if job.building is None:
        return
    validate_building(job.building)
    for i, place in enumerate(job.places):
        if place.x_m is not None and place.y_m is not None and not place.outdoors:
            validate_in_building(
                job.building, f"places[{i}].x_m", f'place "{place.name}"', place.storey, place.x_m, place.y_m
            )
    outlets = {o.id for o in job.building.outlets}
    for i, node in enumerate(job.nodes):
        if node.stand is not None:
            s = node.stand
            validate_in_building(job.building, f"nodes[{i}].stand.x_m", f'node "{node.name}"', s.storey, s.x_m, s.y_m)
        if node.outlet_id is not None:
            require_known(f"nodes[{i}].outlet_id", node.outlet_id, outlets)


def _walk(job: Job, places: set[str]) -> None:
    unique("traces", (t.id for t in job.traces))
    unique("photos", (p.id for p in job.photos))
    for i, trace in enumerate(job.traces):
        require_known(f"traces[{i}].from_place_id", trace.from_place_id, places)
        require_known(f"traces[{i}].to_place_id", trace.to_place_id, places - {trace.from_place_id})
    instruments = unique("instruments", (i.id for i in job.instruments))
    nodes = {n.id for n in job.nodes}
    for i, scan in enumerate(job.scans):
        if scan.instrument_id is not None:
            require_known(f"scans[{i}].instrument_id", scan.instrument_id, instruments)
        for k, stand in enumerate(scan.stands or ()):
            require_known(f"scans[{i}].stands[{k}].node_id", stand.node_id, nodes)


def _on_the_air(job: Job, places: set[str]) -> None:
    unique("other_sources", (s.id for s in job.other_sources))
    for i, sender in enumerate(job.other_sources):
        require_known(f"other_sources[{i}].place_id", sender.place_id, places)
        for k, heard in enumerate(sender.heard_at):
            require_known(f"other_sources[{i}].heard_at[{k}].place_id", heard.place_id, places)
    unique("pans", (p.id for p in job.pans))
    for i, pan in enumerate(job.pans):
        require_known(f"pans[{i}].place_id", pan.place_id, places)
    unique("energy_scans", (s.id for s in job.energy_scans))
    for i, scan in enumerate(job.energy_scans):
        require_known(f"energy_scans[{i}].place_id", scan.place_id, places)
        unique(f"energy_scans[{i}].levels", (str(level.channel) for level in scan.levels))
    if job.thread is None:
        return
    require_known("thread.border_place_id", job.thread.border_place_id, places)
    ids = unique("thread.devices", (d.id for d in job.thread.devices))
    taken = ids & {BORDER_ID, HUB_ID, *(d.id for d in (job.zigbee.devices if job.zigbee else ()))}
    if taken:
        rule = "must not use a name of the hub, the border router or a Zigbee device"
        raise BadInput("thread.devices", rule, ", ".join(sorted(taken)), "another name")
    for i, device in enumerate(job.thread.devices):
        require_known(f"thread.devices[{i}].place_id", device.place_id, places)
    for i, link in enumerate(job.thread.links):
        require_known(f"thread.links[{i}].a_id", link.a_id, ids | {BORDER_ID})
        require_known(f"thread.links[{i}].b_id", link.b_id, (ids | {BORDER_ID}) - {link.a_id})


def _work(job: Job, places: set[str]) -> None:
    """The complaints and the change sheet."""
    unique("complaints", (c.id for c in job.complaints))
    devices = {d.id for d in job.devices}
    devices |= {d.id for d in (job.zigbee.devices if job.zigbee else ())}
    devices |= {d.id for d in (job.thread.devices if job.thread else ())}
    for i, complaint in enumerate(job.complaints):
        if complaint.place_id is not None:
            require_known(f"complaints[{i}].place_id", complaint.place_id, places)
        if complaint.device_id is not None:
            require_known(f"complaints[{i}].device_id", complaint.device_id, devices)
    for i, answer in enumerate(job.answers):
        if answer.complaint_id is not None:
            require_known(f"answers[{i}].complaint_id", answer.complaint_id, {c.id for c in job.complaints})
    unique("follow_ups", (f.id for f in job.follow_ups))
    unique("drop_outs", (d.id for d in job.drop_outs))
    for i, drop in enumerate(job.drop_outs):
        if drop.device_id is not None:
            require_known(f"drop_outs[{i}].device_id", drop.device_id, devices)
    if job.sheet is not None:
        unique("sheet.steps", (s.id for s in job.sheet.steps))
    _ab_tests(job, places)
    nodes = {n.id for n in job.nodes}
    lines = {b.id for b in job.wiring.line_equipment} if job.wiring is not None else set()
    unique("works", (w.id for w in job.works))
    for i, run in enumerate(job.works):
        require_known(f"works[{i}].to_node_id", run.to_node_id, nodes)
        require_known(f"works[{i}].from_id", run.from_id, (nodes | lines) - {run.to_node_id})


def _ab_tests(job: Job, places: set[str]) -> None:
    unique("ab_tests", (t.id for t in job.ab_tests))
    for i, ab_test in enumerate(job.ab_tests):
        if ab_test.place_id is not None:
            require_known(f"ab_tests[{i}].place_id", ab_test.place_id, places)
        elif ab_test.measure != "Zigbee reports lost":
            raise BadInput(f"ab_tests[{i}].place_id", "must be given for a link test", None, "a place")
        low, high, unit = BOUNDS[ab_test.measure]
        for k, arm_run in enumerate(ab_test.arm_runs):
            odd = next((v for v in arm_run.values if not low <= v <= high), None)
            if odd is not None:
                field = f"ab_tests[{i}].arm_runs[{k}].values"
                raise BadInput(field, "must be a value of its measure", odd, f"{low:g} to {high:g} {unit}")
        for name, arm in (("a", ab_test.a), ("b", ab_test.b)):
            if arm.settings is not None:
                validate_settings(job, arm.settings, f"ab_tests[{i}].{name}.settings")


def _zigbee(job: Job, places: set[str]) -> None:
    if job.zigbee is None:
        return
    require_known("zigbee.hub_place_id", job.zigbee.hub_place_id, places)
    ids = unique("zigbee.devices", (d.id for d in job.zigbee.devices))
    if HUB_ID in ids:
        raise BadInput("zigbee.devices", 'must not use the name "hub", which is the hub\'s', HUB_ID, "another name")
    for i, device in enumerate(job.zigbee.devices):
        require_known(f"zigbee.devices[{i}].place_id", device.place_id, places)
    for i, link in enumerate(job.zigbee.links):
        require_known(f"zigbee.links[{i}].a_id", link.a_id, ids | {HUB_ID})
        require_known(f"zigbee.links[{i}].b_id", link.b_id, (ids | {HUB_ID}) - {link.a_id})
    now = job.settings.zigbee_channel
    if now is not None and now not in job.zigbee.selectable_channels:
        raise BadInput(
            "settings.zigbee_channel",
            "must be one of zigbee.selectable_channels",
            now,
            ", ".join(map(str, job.zigbee.selectable_channels)),
        )


def _scans(job: Job, places: set[str]) -> None:
    unique("scans", (li.id for li in job.scans))
    for i, scan in enumerate(job.scans):
        require_known(f"scans[{i}].place_id", scan.place_id, places)
        if scan.settings is not None:
            validate_settings(job, scan.settings, f"scans[{i}].settings")
        for k, reading in enumerate(scan.readings):
            if reading.band not in scan.bands:
                field = f"scans[{i}].readings[{k}].band"
                raise BadInput(field, "must be one of the scan's bands", reading.band, ", ".join(scan.bands))
            if (reading.channel, reading.width_mhz) not in POSSIBLE[reading.band]:
                validate_reading(reading, f"scans[{i}].readings[{k}].")


def validate_reading(reading: Reading, here: str = "") -> None:
    """Raise BadInput for a reading whose channel or width its band does not have."""
    validate_width(f"{here}width_mhz", reading.band, reading.width_mhz, f"network {reading.bssid}")
    if reading.channel not in (*CHANNELS_20MHZ[reading.band], *ODD_CHANNELS[reading.band]):
        raise BadInput(
            f"{here}channel",
            f"must be a channel of the {reading.band} band (network {reading.bssid})",
            reading.channel,
            ", ".join(map(str, CHANNELS_20MHZ[reading.band])),
        )
