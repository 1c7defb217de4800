"""What technicians go by, each as common practice with the conditions under which the model agrees (and where not)."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.houses import as_sent, network, random_house

from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House


def on_24(job, blocks: list[tuple[int, int]], zigbee: int | None = None):
    """The 2.4 GHz radios of a house on (channel, width), in their order."""
    blocks, radios = list(blocks), []
    for setting in job.settings.radios:
        if job.radio(setting.radio_id).band == "2.4 GHz":
            channel, width = blocks.pop(0)
            setting = replace(setting, channel=channel, width_mhz=width, centre_mhz=None)
        radios.append(setting)
    channel = job.settings.zigbee_channel if zigbee is None else zigbee
    return replace(job.settings, radios=tuple(radios), zigbee_channel=channel)


@pytest.mark.parametrize("seed", range(6))
def test_own_nodes_on_1_and_11_beat_one_channel_for_both(seed):
    """Common practice. Condition: both nodes have work to do and hear each other, and nobody else is there."""
    job = random_house(seed, nodes=2, bands=("2.4 GHz",), neighbours=0, devices=10, zigbee_devices=0)
    house = House(job)
    apart = evaluate(house, on_24(job, [(1, 20), (11, 20)]))
    for channel in (1, 6, 11):
        together = evaluate(house, on_24(job, [(channel, 20)] * 2))
        assert apart.headroom >= together.headroom
        assert apart.problems <= together.problems
    half = evaluate(house, on_24(job, [(1, 20), (3, 20)]))
    assert apart.headroom >= half.headroom


@pytest.mark.parametrize("wifi", range(1, 7))
def test_a_hub_on_24_is_clear_of_wi_fi_on_1_to_6(wifi):
    """Common practice. Condition: own Wi-Fi at 20 MHz and nobody else; a hub in the middle of it loses reports."""
    job = random_house(4, nodes=1, bands=("2.4 GHz",), neighbours=0, devices=6, zigbee_devices=6)
    house = House(job)
    silent = replace(job.settings, radios=(replace(job.settings.radios[0], enabled=False),), zigbee_channel=24)
    best = np.array([z.delivery for z in evaluate(house, silent).zigbee])
    clear = np.array([z.delivery for z in evaluate(house, on_24(job, [(wifi, 20)], 24)).zigbee])
    under = np.array([z.delivery for z in evaluate(house, on_24(job, [(wifi, 20)], 11 + wifi)).zigbee])
    np.testing.assert_array_less(best - clear, 0.02)
    assert under.mean() < clear.mean() - 0.01


def test_40_mhz_at_24_loses_in_company_and_wins_alone():
    """Common practice: never 40 MHz at 2.4 GHz unless alone. Conditions: company on 1, 6 and 11 that is loud enough to
    be waited for, and gadgets that speak 20 MHz, as most do: twice the waiting for nothing. Alone nothing is lost, and
    devices that speak 40 MHz gain; to the neighbours it always costs more."""
    for seed in range(6):
        job = random_house(seed, nodes=1, bands=("2.4 GHz",), neighbours=0, devices=8, zigbee_devices=0)
        narrow = tuple(replace(d, max_width_mhz=20, generation="802.11n") for d in job.devices)
        company = replace(job, devices=narrow, scans=tuple(with_company(li) for li in job.scans))
        one, two = (evaluate(as_sent(company), on_24(job, [(6, width)])) for width in (20, 40))
        assert two.headroom < 0.9 * one.headroom
        assert two.airtime_from_neighbours_fraction > one.airtime_from_neighbours_fraction
        alone = [evaluate(House(job), on_24(job, [(6, width)])).headroom for width in (20, 40)]
        assert alone[1] >= alone[0]


def with_company(scan):
    """The same place with a loud, busy network on each of 1, 6 and 11."""
    interferers = [network(c, c, -50.0, 0.25) for c in (1, 6, 11)]
    return replace(scan, readings=(*scan.readings, *interferers))


def test_a_small_overlap_can_hurt_more_than_sharing():
    """Common practice (half-overlap): a neighbour whose energy reaches in but whose frames cannot be decoded is noise;
    on its own channel it is waited for. Condition: it is loud, and busy a third of the time."""
    job = random_house(7, nodes=1, bands=("2.4 GHz",), neighbours=0, devices=6, zigbee_devices=0)
    interferer = replace(
        job.scans[0].readings[0],
        bssid="06:00:00:00:00:01",
        channel=6,
        centre_mhz=2437,
        width_mhz=20,
        rssi_dbm=-68.0,
        channel_use_fraction=0.3,
    )
    heard = replace(job, scans=tuple(replace(li, readings=(*li.readings, interferer)) for li in job.scans))
    house = as_sent(heard)
    shared = evaluate(house, on_24(job, [(6, 20)])).radios[0]
    half = evaluate(house, on_24(job, [(4, 20)])).radios[0]
    assert shared.busy_fraction == pytest.approx(0.3, abs=0.01)
    assert half.busy_fraction == 0.0
    assert half.noise_rise_db > 3
    assert shared.noise_rise_db < 0.1
    assert half.need_fraction > 1.2 * shared.need_fraction
