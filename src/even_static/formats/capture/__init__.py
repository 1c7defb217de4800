"""Captures of IEEE 802.11 with radiotap headers: only what networks broadcast is read, only summaries are kept."""
