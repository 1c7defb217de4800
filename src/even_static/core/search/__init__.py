"""Which setting is best: candidates, one band, everything at once, the plan, uncertainty, placement, power."""
