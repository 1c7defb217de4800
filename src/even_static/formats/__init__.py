"""Bytes and text of open formats to core values, and back."""
