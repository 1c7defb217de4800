"""The data: all SQL is here."""
