"""Real instruments of this computer: its own Wi-Fi card and iperf3, each run as a command of the system."""
