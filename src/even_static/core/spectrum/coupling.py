"""The share of a transmitter's power that a receiver takes in.

``C = 10 log10( integral PSD_tx(f) |H_rx(f)|^2 df )`` with PSD_tx normalised to unit power. The transmit side is the
standard's mask, which is a ceiling: figures computed with it are the stated worst case. The receive side is a filter
that just meets the adjacent and alternate channel rejection that the standards require, and beyond it a kinder
default that is named below.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from even_static.core.arrays import Floats
from even_static.core.tables.masks import DSSS_MASK, OFDM_MASK_20MHZ, ZIGBEE_MASK
from even_static.core.tables.phy import Modulation

STEP_MHZ = 0.0625
SPAN_MHZ = 800.0
MAX_OFFSET_MHZ = 400


# Receive filters: (offset, dB). OFDM in fractions of the width, so that the required rejections of the lowest rate,
# 16 dB at the adjacent and 32 dB at the alternate channel (IEEE 802.11-2020 table 17-18, from memory), are met with
# the transmitter's mask at its ceiling. 802.15.4: a noise bandwidth of about 2 MHz and 30 dB at the alternate channel
# 10 MHz away (from memory); -20 dB from 2 MHz and -50 dB from 20 MHz on are kinder defaults (common practice).
_OFDM_FILTER = ((0.0, 0.0), (0.5, 0.0), (0.55, -16.0), (0.75, -28.0), (1.0, -32.0), (2.0, -42.0), (3.0, -50.0))
_ZIGBEE_FILTER = ((0.0, 0.0), (0.8, 0.0), (1.2, -6.0), (2.0, -20.0), (10.0, -30.0), (20.0, -50.0))


def transmit_mask_db(offset_mhz: Floats, modulation: Modulation, width_mhz: int = 20) -> Floats:
    """Mask in dBr at each offset in MHz from the centre (any shape); even in the offset and never rising outwards."""
    points = {"ofdm": OFDM_MASK_20MHZ, "dsss": DSSS_MASK, "zigbee": ZIGBEE_MASK}[modulation]
    scale = width_mhz / 20 if modulation == "ofdm" else 1.0
    x, y = np.array(points).T
    if modulation == "ofdm" and scale > 1:
        # The edge of a wider mask keeps its steepness: 0 dBr at W/2 - 0.5, -20 dBr at W/2 + 0.5 (from memory).
        x = np.array([0.0, width_mhz / 2 - 0.5, width_mhz / 2 + 0.5, width_mhz, 1.5 * width_mhz])
    return np.asarray(np.interp(np.abs(offset_mhz), x, y), dtype=np.float64)


def receive_filter_db(offset_mhz: Floats, modulation: Modulation, width_mhz: int = 20) -> Floats:
    """Receiver selectivity in dB at each offset in MHz (any shape)."""
    if modulation == "zigbee":
        x, y = np.array(_ZIGBEE_FILTER).T
    else:
        x, y = np.array(_OFDM_FILTER).T
        x = x * width_mhz
    return np.asarray(np.interp(np.abs(offset_mhz), x, y), dtype=np.float64)


@cache
def coupling_table_db(tx: Modulation, tx_width_mhz: int, rx: Modulation, rx_width_mhz: int) -> Floats:
    """Coupling in dB at centre offsets 0, 1, ... 400 MHz: shape (401,), never above 0, not rising with the offset."""
    f = np.arange(-SPAN_MHZ, SPAN_MHZ + STEP_MHZ / 2, STEP_MHZ)
    psd = 10 ** (transmit_mask_db(f, tx, tx_width_mhz) / 10)
    # The floor of a mask does not go on for ever; it is counted over three widths, as far as it is measured.
    psd[np.abs(f) > max(3 * tx_width_mhz, 120)] = 0.0
    psd /= psd.sum()
    gain = 10 ** (receive_filter_db(f, rx, rx_width_mhz) / 10)
    n = len(f)
    size = 1 << (2 * n - 1).bit_length()
    spectrum = np.fft.rfft(psd, size) * np.conj(np.fft.rfft(gain, size))
    correlation = np.fft.irfft(spectrum, size)
    step = round(1 / STEP_MHZ)
    share = correlation[: (MAX_OFFSET_MHZ + 1) * step : step]
    share = np.minimum.accumulate(np.clip(share, 1e-9, 1.0))
    table = 10 * np.log10(share)
    table.setflags(write=False)
    return table


def coupling_db(
    offset_mhz: float | Floats, tx: Modulation, tx_width_mhz: int, rx: Modulation, rx_width_mhz: int
) -> Floats:
    """Coupling in dB for centre offsets in MHz (scalar or array, sign ignored, rounded to 1 MHz, capped at 400)."""
    index = np.minimum(np.rint(np.abs(offset_mhz)), MAX_OFFSET_MHZ).astype(np.intp)
    return np.asarray(coupling_table_db(tx, tx_width_mhz, rx, rx_width_mhz)[index], dtype=np.float64)
