"""The outside world behind small protocols, and the simulated stand-ins that come along."""
