"""Channels, transmit masks and how much of one signal falls into another's receiver."""
