"""A simulated house with its own clock, and the instruments that stand in it."""
