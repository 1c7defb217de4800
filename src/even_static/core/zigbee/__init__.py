"""IEEE 802.15.4 links under Wi-Fi: bit errors, frames, retries and routes."""
