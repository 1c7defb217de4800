"""HTTP: parse, call, serialise."""
