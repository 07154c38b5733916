"""One line, taken apart and put into centimetres above chart datum."""

from dataclasses import dataclass
from datetime import datetime

from tidebase import to_centimetres, to_chart_datum


@dataclass(frozen=True)
class Reading:
    station: str
    time: str
    level_cm: float


def parse_line(line):
    """The reading in a line; ValueError says what is wrong with any other text."""
    parts = line.split()
    if len(parts) != 4:
        raise ValueError(f"expected station, time, value and unit, found {line!r}")
    station, time, value, unit = parts
    datetime.strptime(time, "%Y-%m-%dT%H:%MZ")
    level = to_chart_datum(station, to_centimetres(float(value), unit))
    return Reading(station, time, round(level, 1))
