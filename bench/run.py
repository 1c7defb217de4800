"""Speed, as ratios and times from one run: `make bench`. Nothing here passes or fails; goals stand beside the lines.

The general dissectors are measured on the same file: tshark (a C program) where it is installed, scapy from the test
tools on a part of it. Every figure is the best of a few repeats, since other work on the machine only ever adds time.
"""

from __future__ import annotations

import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
import warnings
from dataclasses import replace
from pathlib import Path

from tests.beacons import capture_of
from tests.houses import random_house

from bench import coverage, visit
from bench.timing import best_of
from even_static.api.app import create_app
from even_static.core.house.readings import Reading
from even_static.core.house.settings import SsidPlan
from even_static.core.model.evaluate import evaluate
from even_static.core.model.prepared_house import House
from even_static.core.search.candidates import EVERYTHING, Rules, candidates
from even_static.core.search.deadline import Deadline
from even_static.core.search.decide import decide
from even_static.core.search.everything import search_whole
from even_static.core.search.plan import best_settings
from even_static.core.search.rules_of_thumb import careful, with_block
from even_static.core.spectrum.channels import blocks
from even_static.core.tables.bands import BANDS
from even_static.core.tables.worlds import DECISION_S
from even_static.core.worlds.drawn import Worlds
from even_static.core.worlds.living import Living
from even_static.formats.capture.reader import read_capture
from even_static.formats.job_file import job_to_data
from even_static.store.calls import Store


def capture_file(folder: Path, networks: int = 60, beacons: int = 3000) -> tuple[Path, int]:
    """A capture of an evening: 60 networks on three bands, each beacon with its own level."""
    rng = random.Random(1)
    readings = []
    for n in range(networks):
        band = rng.choices(BANDS, (5, 4, 1))[0]
        block = rng.choice(blocks(band, rng.choice((20, 40) if band == "2.4 GHz" else (20, 40, 80))))
        readings.append(
            Reading(
                bssid=f"06:00:00:00:01:{n:02x}",
                ssid=f"network {n}",
                band=band,
                channel=block.channel,
                centre_mhz=block.centre_mhz,
                width_mhz=block.width_mhz,
                rssi_dbm=-70.0,
                security="WPA2",
                generation="802.11ax",
                channel_use_fraction=0.2,
                stations=3,
                country="NL",
            )
        )
    path = folder / "evening.pcap"
    path.write_bytes(
        capture_of(readings, [[rng.gauss(-70, 4) for _ in range(beacons)] for _ in readings], "2026-03-02T19:00:00Z")
    )
    return path, networks * beacons


def captures(folder: Path) -> None:
    path, frames = capture_file(folder)
    ours = frames / best_of(lambda: read_capture(path))
    print(
        f"capture reading: {ours:,.0f} frames/s on {frames:,} beacons, {path.stat().st_size >> 20} MiB (goal 100,000)"
    )
    small, few = capture_file(folder, beacons=300)
    small = small.rename(folder / "part.pcap")
    if shutil.which("tshark"):
        names = ("wlan.bssid", "wlan.ssid", "wlan.ds.current_channel", "radiotap.dbm_antsignal", "wlan.qbss.cu")
        for how, words in (("whole dissection", ["-V"]), ("five fields", ["-Tfields", *(f"-e{n}" for n in names)])):
            command = ["tshark", "-r", str(small), *words]
            theirs = few / best_of(
                lambda c=command: subprocess.run(c, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=True), 2
            )  # type: ignore[misc]
            print(f"  C dissector (tshark, {how}): {theirs:,.0f} frames/s; ratio {ours / theirs:.0f} (goal 40)")
    else:
        print("  C dissector: tshark is not installed (Debian: apt-get install tshark)")
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from scapy.layers.dot11 import Dot11Beacon
        from scapy.utils import PcapReader

        def dissect() -> None:
            with PcapReader(str(small)) as reader:
                for _, packet in zip(range(1500), reader, strict=False):
                    assert Dot11Beacon in packet

        theirs = 1500 / best_of(dissect, 2)
    print(f"  Python dissector (scapy): {theirs:,.0f} frames/s; ratio {ours / theirs:.0f} (goal 200)")


def evaluation() -> None:
    job = random_house(3, nodes=4, neighbours=60, places=20, devices=20, zigbee_devices=15)
    house = House(job)
    evaluate(house, job.settings)
    rng = random.Random(2)
    options = {s.radio_id: candidates(job, s, Rules()) for s in job.settings.radios}
    tried = [
        replace(job.settings, radios=tuple(with_block(s, rng.choice(options[s.radio_id])) for s in job.settings.radios))
        for _ in range(100)
    ]
    fresh = [best_of(lambda s=s: evaluate(house, s), 1) for s in tried]  # type: ignore[misc]
    again = best_of(lambda: evaluate(house, tried[0]), 20)
    scratch = best_of(lambda: evaluate(job, job.settings), 5)
    print("evaluate, 4 nodes, 3 bands, 60 neighbours, 20 places (goal 5 ms):")
    print(
        f"  never tried setting {statistics.median(fresh) * 1e3:.2f} ms (median of 100, worst {max(fresh) * 1e3:.2f})"
    )
    print(f"  the same again {again * 1e3:.2f} ms; from the bare job, tables and all {scratch * 1e3:.2f} ms")


def api(folder: Path) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from fastapi.testclient import TestClient
    store = Store(folder / "bench.sqlite")
    job = random_house(3, nodes=4, neighbours=60, places=20, devices=20, zigbee_devices=15)
    number = store.add(job).id
    rng = random.Random(3)
    client = TestClient(create_app(store), base_url="http://127.0.0.1", client=("127.0.0.1", 50_000))
    # The service puts its routes together when it is first asked for anything: that is not this figure's.
    client.get("/api/about").raise_for_status()
    times = []
    for _ in range(40):
        radios = tuple(with_block(s, rng.choice(candidates(job, s, Rules()))) for s in job.settings.radios)
        body = {"settings": job_to_data(replace(job, settings=replace(job.settings, radios=radios)))["settings"]}
        began = time.perf_counter()
        client.post(f"/api/calls/{number}/evaluate", json=body).raise_for_status()
        times.append(time.perf_counter() - began)
    print(
        f"API, a setting tried by hand: {statistics.median(times) * 1e3:.1f} ms (median of 40; goal 50),"
        f" the very first with all tables {max(times) * 1e3:.0f} ms"
    )


def plans() -> None:
    for nodes in (1, 2, 3, 4):
        times, proven = [], 0
        for seed in range(12):
            house = House(
                random_house(seed, nodes=nodes, neighbours=60, places=20, devices=5 * nodes, zigbee_devices=15)
            )
            began = time.perf_counter()
            found = best_settings(house, Rules(), time.monotonic() + 60)
            times.append(time.perf_counter() - began)
            proven += found.proven
        goal = "; goal 2 s" if nodes == 3 else ""
        print(
            f"exact plan, {nodes} nodes, 3 bands, 60 neighbours, with tables: median {statistics.median(times):.2f} s,"
            f" worst {max(times):.2f} s, proven {proven} of 12{goal}"
        )


def whole() -> None:
    rules = Rules(power=True, switch_off=True, links=True, steering=True)
    for nodes, goal in ((1, 0.3), (2, 0.7), (3, 2.0), (4, 8.0)):
        times, proven, choices = [], 0, []
        for seed in range(6):
            house = House(
                random_house(seed, nodes=nodes, neighbours=60, places=20, devices=5 * nodes, zigbee_devices=15)
            )
            began = time.perf_counter()
            found = search_whole(house, rules, time.monotonic() + 30)
            times.append(time.perf_counter() - began)
            proven += found.proven
            choices.append(found.choices)
        print(
            f"whole search, {nodes} nodes: median {statistics.median(times):.2f} s, worst {max(times):.2f} s,"
            f" proven {proven} of 6, {statistics.median(choices):.0f} choices; goal {goal:g} s"
        )


def decisions() -> None:
    """What lies between the best in the model and the plan: candidates lived in 64 worlds and improved there."""
    for nodes, goal in ((1, 3), (2, 5), (3, 8), (4, 15)):
        times, tried, one = [], [], []
        for seed in range(4):
            job = random_house(seed, nodes=nodes, neighbours=60, places=20, devices=5 * nodes, zigbee_devices=15)
            house = House(job)
            living = Living(Worlds(house))
            living.lived(job.settings)
            began = time.perf_counter()
            living.lived(replace(job.settings, ssid_plan=SsidPlan(high_band_from_dbm=-70.0)))
            one.append(time.perf_counter() - began)
            deadline = Deadline(time.monotonic() + DECISION_S[nodes - 1])
            began = time.perf_counter()
            found = decide(house, EVERYTHING, {"careful": careful(house, job.settings)}, deadline)
            times.append(time.perf_counter() - began)
            tried.append(found.outlook.tried)
        print(
            f"decision over 64 worlds, {nodes} nodes: median {statistics.median(times):.2f} s,"
            f" worst {max(times):.2f} s, {statistics.median(tried):.0f} settings tried,"
            f" one never lived {statistics.median(one) * 1e3:.0f} ms;"
            f" goal {goal} s"
        )


def five_nodes() -> None:
    """Best known within 5 s, and how far the bound is from it: headroom in per cent, problems by count."""
    rules = Rules(power=True, switch_off=True, links=True, steering=True)
    gaps, short, proven = [], [], 0
    for seed in range(5):
        house = House(random_house(seed, nodes=5, neighbours=60, places=20, devices=25, zigbee_devices=15))
        found = search_whole(house, rules, time.monotonic() + 5)
        proven += found.proven
        short.append(found.evaluation.problems - found.bound_rank.problems)
        worst, bound = found.evaluation.rank.worst_headroom_bin, found.bound_rank.worst_headroom_bin
        gaps.append(100 * (bound - worst) / max(worst, 1) if short[-1] == 0 else 100.0)
    print(
        f"whole search, 5 nodes, 5 s: proven {proven} of 5; problems above the bound {short};"
        f" worst headroom below its bound by {[round(g) for g in gaps]} % (goal 5)"
    )


def solvers() -> None:
    """The same whole problem (two nodes, two bands, no Zigbee) for the search and for a general constraint solver."""
    from tests.oracle import solve_whole

    rules = Rules(power=True, switch_off=True, steering=True)
    for nodes in (1, 2):
        mine, theirs, agree = [], [], 0
        for seed in range(4):
            few = {"2.4 GHz": (1, 6, 11), "5 GHz": (36, 44, 100)}
            job = random_house(
                seed, nodes=nodes, bands=("2.4 GHz", "5 GHz"), neighbours=30, devices=8, zigbee_devices=0, channels=few
            )
            began = time.perf_counter()
            found = search_whole(House(job), rules, time.monotonic() + 30, refine=False)
            mine.append(time.perf_counter() - began)
            began = time.perf_counter()
            answer = solve_whole(House(job), rules, 60.0)
            theirs.append(time.perf_counter() - began)
            agree += answer.proven and answer.problems == found.evaluation.problems
        ours, other = statistics.median(mine), statistics.median(theirs)
        print(
            f"general solver (CP-SAT), same whole problem, {nodes} nodes, 2 bands: {other:.2f} s against {ours:.2f} s,"
            f" ratio {other / ours:.0f}; as few problems in {agree} of 4"
        )


def main() -> None:
    print(f"Python {sys.version.split()[0]}")
    with tempfile.TemporaryDirectory() as folder:
        captures(Path(folder))
        evaluation()
        api(Path(folder))
        plans()
        whole()
        decisions()
        five_nodes()
        solvers()
        visit.run(Path(folder))
    coverage.run()


if __name__ == "__main__":
    main()
