"""What a setting may not be, and what it changes."""

from __future__ import annotations

from even_static.core.errors import BadInput, Unlawful
from even_static.core.house.job import Job
from even_static.core.house.links import on_one_block
from even_static.core.house.settings import RadioSetting, Settings, setting_block
from even_static.core.model.prepared_house import with_link_bands
from even_static.core.spectrum.lawful import lawful_block


def count_changes(before: Settings, after: Settings) -> int:
    """Radios whose setting differs, plus one each for the Zigbee channel, SSIDs and steering, and every link's band."""
    old = {s.radio_id: s for s in before.radios}
    changed = sum(not same_setting(old.get(s.radio_id), s) for s in after.radios)
    links = len(set(before.link_bands) ^ set(after.link_bands))
    return changed + links + (before.zigbee_channel != after.zigbee_channel) + (before.ssid_plan != after.ssid_plan)


def same_setting(a: RadioSetting | None, b: RadioSetting) -> bool:
    """Whether two settings put a radio to the same use; a centre that is not given is the lowest one."""
    if a is None:
        return False
    mine = (a.channel, a.width_mhz, a.eirp_dbm, a.enabled)
    return mine == (b.channel, b.width_mhz, b.eirp_dbm, b.enabled) and (
        a.centre_mhz == b.centre_mhz or None in (a.centre_mhz, b.centre_mhz)
    )


def radio_violations(job: Job, setting: RadioSetting) -> list[str]:
    """What is unlawful or unsupported about one radio's setting, in words; empty when nothing is."""
    radio = job.radio(setting.radio_id)
    if not setting.enabled:
        return []
    node = job.node_of(radio.id)
    outdoors = next(p.outdoors for p in job.places if p.id == node.place_id)
    block = setting_block(radio, setting)
    found = []
    lawful = lawful_block(job.country, block, outdoors=outdoors)
    name = f"{radio.id}: channel {block.channel} at {block.width_mhz} MHz"
    if lawful is None:
        found.append(f"{name} is not open to access points in {job.country}" + (" outdoors" if outdoors else ""))
    elif setting.eirp_dbm > lawful.max_eirp_dbm:
        found.append(f"{name}: {setting.eirp_dbm:g} dBm radiated, {lawful.max_eirp_dbm:g} dBm allowed in {job.country}")
    if setting.width_mhz not in radio.widths_mhz:
        found.append(f"{name}: the radio offers {', '.join(map(str, radio.widths_mhz))} MHz")
    if radio.channels is not None and block.channel not in radio.channels:
        found.append(f"{name}: the radio does not offer this channel")
    if setting.eirp_dbm not in radio.eirp_steps_dbm:
        steps = ", ".join(f"{s:g}" for s in radio.eirp_steps_dbm)
        found.append(f"{name}: {setting.eirp_dbm:g} dBm is not one of its power steps ({steps})")
    return found


def zigbee_violations(job: Job, settings: Settings) -> tuple[str, ...]:
    """What the hub cannot be set to."""
    if job.zigbee is None or settings.zigbee_channel in job.zigbee.selectable_channels:
        return ()
    return (f"the hub does not offer Zigbee channel {settings.zigbee_channel}",)


def keeps_locked(job: Job, settings: Settings) -> bool:
    """Whether every locked radio is set as it is at present."""
    return all(same_setting(job.settings.of(s.radio_id), s) for s in settings.radios if job.radio(s.radio_id).locked)


def require_choosable(job: Job, settings: Settings) -> None:
    """Raise Unlawful or BadInput unless a setting may be sent to the nodes: lawful, supported, locked radios as is."""
    for setting in settings.radios:
        radio = job.radio(setting.radio_id)
        present = job.settings.of(radio.id)
        if radio.locked and not same_setting(present, setting):
            raise BadInput(
                f"settings.{radio.id}",
                "must stay as it is: the radio is locked",
                f"channel {setting.channel}",
                "its present setting",
            )
        if same_setting(present, setting) and radio.locked:
            continue
        for violation in radio_violations(job, setting):
            raise Unlawful(f"settings.{radio.id}", "must be lawful and offered by the radio", violation, "")
    if settings.ssid_plan.high_band_from_dbm is not None:
        for node in job.nodes:
            if node.steering == "nothing":
                came = f'node "{node.name}"'
                raise BadInput(
                    "settings.ssid_plan.high_band_from_dbm", "must be offered by every node", came, "no steering"
                )
    job = with_link_bands(job, settings.link_bands)
    for ends in on_one_block(job):
        near, far = (setting_block(job.radio(r), settings.of(r)) for r in ends)
        if near != far and all(settings.of(r).enabled for r in ends):
            raise BadInput(
                f"settings.{ends[1]}",
                f"must use the block of {ends[0]}, which it follows",
                f"channel {far.channel} at {far.width_mhz} MHz",
                f"channel {near.channel} at {near.width_mhz} MHz",
            )
    for violation in zigbee_violations(job, settings):
        raise BadInput("settings.zigbee_channel", "must be offered by the hub", violation, "")
