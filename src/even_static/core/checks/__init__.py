"""Rules that return findings: lawfulness first."""
