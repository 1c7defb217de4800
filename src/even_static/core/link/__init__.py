"""The link itself: what tests from the spot say, and whether the line or the Wi-Fi is the narrow part."""
