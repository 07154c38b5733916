"""Heights above the harbour's chart datum."""

# Centimetres between each gauge's own zero and the chart datum.
OFFSETS = {"pier": -12, "lock": 4, "mole": 0}


def to_chart_datum(station, level_cm):
    """The level above chart datum; an unknown station is taken as levelled already."""
    return level_cm + OFFSETS.get(station, 0)
