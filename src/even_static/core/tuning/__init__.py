"""Evaluate a setting of the house, search for the best one, and say why."""
