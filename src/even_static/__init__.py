"""Even Static: measures the radio in a house and tunes it."""

__version__ = "0.1.0"
