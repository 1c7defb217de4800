"""Scanner, router console, Zigbee hub and speed test that stand in a simulated house."""

from __future__ import annotations

import statistics
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta

from even_static.core.errors import InstrumentFault
from even_static.core.house.links import followed
from even_static.core.house.lists import ChannelUse, ClientSeen
from even_static.core.house.mesh import MeshLink
from even_static.core.house.other_sources import ChannelEnergy, EnergyScan
from even_static.core.house.readings import Reading, Scan, SpeedTest, ZigbeeReport, own_reading
from even_static.core.house.settings import RadioSetting, SsidPlan, setting_block
from even_static.core.model.violations import radio_violations
from even_static.core.propagation.stands import place_point, stand_of, stands_now
from even_static.core.search.rules_of_thumb import with_block
from even_static.core.spectrum.lawful import lawful_block
from even_static.core.survey.air import air, explained_energy
from even_static.core.tables.bands import Band
from even_static.instruments.phase import Phase
from even_static.instruments.simulated.world import World
from even_static.truth.router import channel_uses, client_list

BEACON_S = 0.1024
READING_NOISE_DB = (2.0, 4.0)
REPORTS_PER_HOUR = 60
SAVE_S, RESTART_S, RETURN_S, RADAR_S = 30.0, 45.0, 20.0, 60.0
RADAR_CHANCE = 0.04


class SimulatedScanner:
    """Hears beacons with the scatter that real readings have."""

    def __init__(self, world: World, instrument_id: str | None = None) -> None:
        self.world = world
        self.off_db = 0.0 if instrument_id is None else world.instrument_offset_db(instrument_id)

    def listen(self, place_id: str, bands: tuple[Band, ...], seconds: float = 12.0) -> Scan:
        """Listen at a place; time passes in the house. Weak networks give few beacons, the weakest none."""
        world = self.world
        if all(p.id != place_id for p in world.job.places):
            raise InstrumentFault("place_id", "must be a place of the call", place_id, "")
        rng = world.chance()
        began = world.state.clock
        readings = []
        for reading in self._audible(place_id, bands):
            scatter = rng.uniform(*READING_NOISE_DB)
            drift = rng.gauss(0, 1.0) + self.off_db
            tries = round(seconds / len(bands) / BEACON_S)
            levels = [reading.level_dbm + drift + rng.gauss(0, scatter) for _ in range(tries)]
            levels = [round(x) for x in levels if x > -91 - rng.expovariate(1.0)]
            if len(levels) < 2:
                continue
            ordered = sorted(levels)
            spread = (ordered[int(0.84 * (len(ordered) - 1))] - ordered[int(0.16 * (len(ordered) - 1))]) / 2
            readings.append(
                replace(
                    reading,
                    rssi_dbm=float(max(-110, min(0, statistics.median(levels)))),
                    samples=len(levels),
                    spread_db=float(spread),
                    first_heard_at=began,
                    last_heard_at=began,
                )
            )
        world.advance(seconds)
        scan_id = f"scan-{world.state.draws}"
        stands = stands_now(world.job)
        return Scan(
            came_from="simulated",
            id=scan_id,
            place_id=place_id,
            heard_at=began,
            source="scanner",
            bands=bands,
            readings=tuple(readings),
            settings=world.state.settings,
            stands=stands,
        )

    def on_the_way(self, from_place_id: str, to_place_id: str, path_fraction: float) -> dict[str, float]:
        """Levels of own radios in dBm by address while walking straight from one spot to another.

        A person's own body swings them by some 2 dB. InstrumentFault where a spot has no place in the house.
        """
        world = self.world
        ends = [place_point(world.job, p) for i in (from_place_id, to_place_id) for p in world.job.places if p.id == i]
        a, b = (*ends, None, None)[:2]
        if a is None or b is None or world.job.building is None:
            raise InstrumentFault("place_id", "must be a spot that stands in the house", to_place_id, "place it first")
        f = min(max(path_fraction, 0.0), 1.0)
        at = (a[0] + f * (b[0] - a[0]), a[1] + f * (b[1] - a[1]), a[2] + f * (b[2] - a[2]))
        rng = world.chance()
        found = {}
        for radio in world.job.radios:
            setting = world.state.settings.of(radio.id)
            stands = stand_of(world.job, world.job.node_of(radio.id)) is not None
            if setting.enabled and stands:
                level = world.own_level_at(radio.id, at, setting.eirp_dbm) + rng.gauss(0, 2.0)
                if level > -91:
                    found[radio.bssid] = float(max(-110, min(0, round(level))))
        return found

    def _audible(self, place_id: str, bands: tuple[Band, ...]) -> Iterator[Reading]:
        world = self.world
        for radio in world.job.radios:
            setting = world.state.settings.of(radio.id)
            if radio.band in bands and setting.enabled:
                yield replace(
                    own_reading(radio, setting, world.own_level_dbm(radio.id, place_id, setting.eirp_dbm)),
                    security="WPA2/WPA3",
                    country=world.job.country if world.job.country.isalpha() else None,
                    slowest_basic_rate_mbps=1.0 if radio.band == "2.4 GHz" else 6.0,
                )
        for neighbour in world.state.neighbours:
            if neighbour.hidden or neighbour.reading.band not in bands:
                continue
            use = round(world.use_fraction(neighbour) * 255) / 255 if neighbour.announces_load else None
            yield replace(
                neighbour.reading,
                rssi_dbm=world.neighbour_level_dbm(neighbour, place_id),
                channel_use_fraction=None if use is None else round(use, 4),
                stations=None if use is None else neighbour.reading.stations or 1 + int(use * 20),
            )


class SimulatedConsole:
    """The boxes' settings: each save takes its time, devices drop and return, radar may drive a radio off."""

    def __init__(self, world: World) -> None:
        self.world = world

    def read(self) -> tuple[RadioSetting, ...]:
        """What every radio is really set to."""
        return self.world.state.settings.radios

    def names(self) -> SsidPlan:
        """SSIDs and steering as set."""
        return self.world.state.settings.ssid_plan

    def save_ssid_plan(self, names: SsidPlan) -> Iterator[Phase]:
        """Save SSIDs and steering on the router, which tells the other boxes."""
        world = self.world
        if names.high_band_from_dbm is not None:
            for node in world.job.nodes:
                if node.steering == "nothing":
                    came = names.high_band_from_dbm
                    raise InstrumentFault(f"node {node.name}", "has no steering to set", came, "none")
        yield self._pass("SSIDs and steering: saving", SAVE_S)
        world.state = replace(world.state, settings=replace(world.state.settings, ssid_plan=names))
        yield self._pass("SSIDs and steering: devices come back", RETURN_S)
        world.log(f"{names.kind}; steered from {names.high_band_from_dbm or 'nowhere'}")

    def save(self, node_id: str, settings: tuple[RadioSetting, ...]) -> Iterator[Phase]:
        """Save one node's radios: pass the phases on to whoever waits, let the house's clock run, then be done."""
        world = self.world
        job = world.job
        node = next((n for n in job.nodes if n.id == node_id), None)
        if node is None:
            raise InstrumentFault("node_id", "must be a node of the call", node_id, "")
        for setting in settings:
            for violation in radio_violations(job, setting):
                raise InstrumentFault(f"node {node.name}", "refuses the setting", violation, "a lawful, supported one")
        yield self._pass(f"{node.name}: saving", SAVE_S)
        yield self._pass(f"{node.name}: radios restart, devices drop off", RESTART_S)
        kept = []
        for setting in settings:
            radio = job.radio(setting.radio_id)
            lawful = lawful_block(job.country, setting_block(radio, setting))
            if lawful is not None and lawful.dfs and setting.enabled:
                yield self._pass(f"{node.name}: {radio.id} listens for radar on channel {setting.channel}", RADAR_S)
                if world.chance().random() < RADAR_CHANCE:
                    setting = self._driven_off(setting)
            kept.append(setting)
        by_id = {s.radio_id: s for s in kept}
        leads = {far.id: near.id for near, far in followed(job.nodes) if near.id in by_id and node.uplink is None}
        radios = tuple(
            with_block(s, setting_block(job.radio(s.radio_id), by_id[leads[s.radio_id]]))
            if s.radio_id in leads
            else by_id.get(s.radio_id, s)
            for s in world.state.settings.radios
        )
        world.state = replace(world.state, settings=replace(world.state.settings, radios=radios))
        yield self._pass(f"{node.name}: devices come back", RETURN_S)
        world.log(f"{node.name} saved: " + ", ".join(f"{s.radio_id} on {s.channel}" for s in kept))

    def _driven_off(self, setting: RadioSetting) -> RadioSetting:
        job = self.world.job
        radio = job.radio(setting.radio_id)
        for options in (radio.channels or (36, 40, 44, 48),):
            for channel in options:
                block = setting_block(radio, replace(setting, channel=channel, centre_mhz=None))
                lawful = lawful_block(job.country, block)
                if lawful is not None and not lawful.dfs:
                    self.world.log(f"{radio.id}: radar on channel {setting.channel}, moved to {channel}")
                    return with_block(setting, block)
        return replace(setting, enabled=False)

    def _pass(self, text: str, seconds: float) -> Phase:
        self.world.advance(seconds)
        return Phase(text, seconds)


class SimulatedHub:
    """The Zigbee hub: channel, move, and a log of what arrived."""

    def __init__(self, world: World) -> None:
        self.world = world

    def channel(self) -> int | None:
        """Channel in use."""
        return self.world.state.settings.zigbee_channel

    def move(self, channel: int) -> Iterator[Phase]:
        """Move the network; devices find it again one after another."""
        world = self.world
        zigbee = world.job.zigbee
        if zigbee is None or channel not in zigbee.selectable_channels:
            raise InstrumentFault("zigbee_channel", "must be offered by the hub", channel, "")
        world.advance(40)
        yield Phase(f"hub: moving to channel {channel}", 40)
        world.state = replace(world.state, settings=replace(world.state.settings, zigbee_channel=channel))
        world.advance(120)
        yield Phase("hub: devices come back", 120)
        world.log(f"hub moved to channel {channel}")

    def links(self) -> tuple[MeshLink, ...]:
        """Each link's level with 1.5 dB of scatter, in whole dB as such pages show it."""
        world = self.world
        zigbee = world.true_zigbee()
        rng = world.chance()
        true = zigbee.links if zigbee is not None else ()
        return tuple(
            replace(
                li,
                rssi_dbm=float(max(-120, min(0, round(li.rssi_dbm + rng.gauss(0, 1.5))))),
                came_from="simulated",
            )
            for li in true
        )

    def energy_scan(self, seconds: float = 8.0) -> tuple[ChannelEnergy, ...]:
        """The loudest on every channel at the hub, also what no Wi-Fi scanner hears; 1.5 dB of scatter."""
        world = self.world
        zigbee = world.job.zigbee
        if zigbee is None:
            return ()
        channels = tuple(ChannelEnergy(c, -120.0) for c in range(11, 27))
        true = world.true_job()
        scan = EnergyScan(
            id="scan", place_id=zigbee.hub_place_id, scanned_at=world.state.clock, source="hub", levels=channels
        )
        found = explained_energy(replace(true, energy_scans=(scan,)), air(true))
        world.advance(seconds)
        rng = world.chance()
        return tuple(
            ChannelEnergy(f.channel, float(max(-120, min(0, round(max(f.explained_dbm, -97.0) + rng.gauss(0, 1.5))))))
            for f in found
        )

    def events(self) -> tuple[str, ...]:
        """What the house logged: saves, moves, radar."""
        return self.world.state.events

    def reports(self, hours: float = 2.0) -> tuple[ZigbeeReport, ...]:
        """Draw what arrived over some hours from the house's true delivery; time passes."""
        world = self.world
        if world.job.zigbee is None:
            return ()
        world.advance(hours * 1800)
        delivered = world.truth().outcome(world.state.settings, speeds=False).delivery
        world.advance(hours * 1800)
        rng = world.chance()
        sent = round(hours * REPORTS_PER_HOUR)
        return tuple(
            ZigbeeReport(
                device_id=device_id,
                reported_at=world.state.clock,
                sent=sent,
                delivered=sum(rng.random() < share for _ in range(sent)),
                came_from="simulated",
            )
            for device_id, share in delivered.items()
        )


class SimulatedRouter:
    """The router's own pages: its client list, and how busy its radios found their channels in the last day."""

    # The hours for which its page shows how busy the channels were.
    BACK_H = (0, 6, 15, 18)

    def __init__(self, world: World) -> None:
        self.world = world

    def client_list(self) -> tuple[ClientSeen, ...]:
        """Every device that is connected now."""
        world = self.world
        return client_list(world.true_house, world.state.settings, world.state.clock, str(world.chance().random()))

    def channel_uses(self) -> tuple[ChannelUse, ...]:
        """The uses that its page shows of now and of some hours of the last day."""
        world, now = self.world, self.world.now
        times = [(now - timedelta(hours=back)).isoformat() for back in self.BACK_H]
        return tuple(use for at in times for use in channel_uses(world.true_house, world.state.settings, at))


class SimulatedSpeedTest:
    """Throughput of a test phone at a place under the house's true air."""

    RUN_S = 15.0

    def __init__(self, world: World) -> None:
        self.world = world

    def run(self, place_id: str, runs: int = 5) -> SpeedTest:
        """Several runs; each varies with the air by some 12 %."""
        world = self.world
        rng = world.chance()
        began = world.state.clock
        down, up, latency = [], [], []
        for _ in range(runs):
            test = world.truth().speed(world.state.settings, place_id)
            world.advance(self.RUN_S)
            down.append(round(test.down_mbps * rng.lognormvariate(0, 0.12), 2))
            up.append(round(test.up_mbps * rng.lognormvariate(0, 0.12), 2))
            if test.down_mbps <= 0:
                continue
            latency.append(round(test.latency_ms * rng.lognormvariate(0, 0.25), 1))
        return SpeedTest(
            came_from="simulated",
            place_id=place_id,
            tested_at=began,
            down_mbps=tuple(down),
            up_mbps=tuple(up),
            latency_ms=tuple(latency),
        )
