"""Units that gauges report in."""

FACTORS = {"cm": 1.0, "m": 100.0, "mm": 0.1, "ft": 30.48}


def to_centimetres(value, unit):
    """A reading in centimetres."""
    if unit not in FACTORS:
        raise ValueError(f"unknown unit {unit!r}; known are {', '.join(sorted(FACTORS))}")
    return value * FACTORS[unit]
