"""The outside world: programs and cards of this computer, and the simulated stand-ins that come along."""
