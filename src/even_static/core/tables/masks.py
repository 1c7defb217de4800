"""Transmit masks: the power spectral density of an emission over the offset from its centre."""

from __future__ import annotations

# Transmit masks: (offset from the centre in MHz, dBr). IEEE 802.11-2020 19.3.18.1 (HT 20 MHz, -45 dBr floor),
# 802.11ax-2021 27.3.19.1; DSSS 15.4.5.5; IEEE 802.15.4-2020 12.3.3. All from memory.
OFDM_MASK_20MHZ = ((0.0, 0.0), (9.75, 0.0), (10.5, -20.0), (20.0, -28.0), (30.0, -40.0))
DSSS_MASK = ((0.0, 0.0), (11.0, 0.0), (11.0001, -30.0), (22.0, -30.0), (22.0001, -50.0))
ZIGBEE_MASK = ((0.0, 0.0), (1.0, 0.0), (3.5, -20.0), (6.0, -30.0))
