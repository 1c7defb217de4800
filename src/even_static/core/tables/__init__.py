"""Published numbers, each with unit, edition and source; figures of the trade are marked as common practice."""
