"""The air as measured: scans, other sources, the walk, traces, link tests."""
