"""Rates, frame times and contention: what a second of airtime can carry."""
