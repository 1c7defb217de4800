"""How a signal gets through a house: path loss, walls, antennas, calibration, coverage."""
