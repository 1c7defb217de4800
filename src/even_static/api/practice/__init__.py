"""Practice houses: the one door from the service to the simulated instruments."""
