"""Zigbee error rates and delivery against the standard's curve, a symbol-level simulation and brute force."""

from __future__ import annotations

import networkx as nx
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import quad

from even_static.core.zigbee.delivery import bit_error_rate, frame_error_rate, hop_delivery, route_delivery

# IEEE 802.15.4-2006 annex E formula; values from memory and, at 127 bytes, of the same curve in ns-3's error model
# (frozen values of a separate study, see docs/model.md).
BIT_ERRORS = {0.0: 1.6e-4, -1.0: 1.1e-3}
FRAME_ERRORS_60 = {-1.0: 0.42, 0.0: 0.075, 1.0: 0.006}
FRAME_ERRORS_127 = {-1.0: 0.689, 0.0: 0.1514, 1.0: 0.01303, 2.0: 5.2e-4}


@pytest.mark.parametrize(("sinr_db", "rate"), BIT_ERRORS.items())
def test_bit_errors(sinr_db, rate):
    assert bit_error_rate(sinr_db) == pytest.approx(rate, rel=0.05)  # the values have two digits


@pytest.mark.parametrize(("sinr_db", "rate"), FRAME_ERRORS_60.items())
def test_short_frames(sinr_db, rate):
    assert frame_error_rate(sinr_db) == pytest.approx(rate, rel=0.05)


@pytest.mark.parametrize(("sinr_db", "rate"), FRAME_ERRORS_127.items())
def test_long_frames(sinr_db, rate):
    assert frame_error_rate(sinr_db, 127) == pytest.approx(rate, rel=0.01)


@pytest.mark.parametrize("sinr_db", [-4.0, -2.0, 0.0])
def test_curve_against_noncoherent_orthogonal_signalling(sinr_db):
    """The curve is that of 16-ary orthogonal signals (Proakis, Digital Communications), here integrated numerically.

    Symbol energy over noise is 20 SINR and 8/15 of the symbol errors hit a given bit. Rice's envelope of the right
    correlator is compared with fifteen Rayleigh ones.
    """
    from scipy.special import ive

    energy = 20 * 10 ** (sinr_db / 10)

    def correct(r: float) -> float:
        rice = r * np.exp(-((r - np.sqrt(2 * energy)) ** 2) / 2) * ive(0, r * np.sqrt(2 * energy))
        return float(rice * (1 - np.exp(-(r**2) / 2)) ** 15)

    right = quad(correct, 0, np.sqrt(2 * energy) + 12, limit=200)[0]
    assert bit_error_rate(sinr_db) == pytest.approx(8 / 15 * (1 - right), rel=1e-3)


@given(st.floats(-10, 10), st.floats(0, 5))
def test_more_signal_never_hurts(sinr_db, more):
    assert bit_error_rate(sinr_db + more) <= bit_error_rate(sinr_db) + 1e-15


@given(st.floats(0, 1), st.floats(0, 1))
def test_hop_delivery_is_a_probability_and_retries_help(success, idle):
    delivered = float(hop_delivery(np.array(success), np.array(idle)))
    assert -1e-12 <= delivered <= 1 + 1e-12
    assert delivered >= success * (1 - (1 - idle) ** 5) - 1e-12


@given(st.integers(0, 2**31))
def test_routes_against_networkx(seed):
    """Best product of deliveries over relays equals Dijkstra's shortest path on -log, by networkx."""
    rng = np.random.default_rng(seed)
    n = 7
    relays = np.r_[True, rng.random(n - 1) < 0.5]
    pairs = [(i, j) for i in range(n) for j in range(i + 1, n) if rng.random() < 0.5]
    if not pairs:
        return
    a, b = np.array(pairs).T
    hop = rng.uniform(0.05, 0.99, len(pairs))
    found = route_delivery(np.r_[hop, hop], np.r_[a, b], np.r_[b, a], relays)
    graph = nx.DiGraph()
    graph.add_nodes_from(range(n))
    for (i, j), p in zip(pairs, hop, strict=True):
        for x, y in ((i, j), (j, i)):
            if relays[x]:
                graph.add_edge(x, y, weight=-np.log(p))
    length = nx.single_source_dijkstra_path_length(graph, 0)
    expected = [np.exp(-length[i]) if i in length else 0.0 for i in range(n)]
    np.testing.assert_allclose(found, expected, rtol=1e-9)
