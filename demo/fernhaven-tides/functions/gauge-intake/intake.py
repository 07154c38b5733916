"""Takes in what the gauges send: checks each line, converts it, and smooths the levels of each station."""

import os

from gaugelines import parse_line
from tidewave import smooth

MOST_LINES = int(os.environ["MOST_LINES"])


def receive(event, context):
    lines = event["data"]["lines"]
    if len(lines) > MOST_LINES:
        raise ValueError(f"{len(lines)} lines at once, more than the {MOST_LINES} allowed")
    levels, refused = {}, []
    for number, line in enumerate(lines, start=1):
        try:
            reading = parse_line(line)
        except ValueError as error:
            refused.append({"line": number, "why": str(error)})
            continue
        levels.setdefault(reading.station, []).append(reading.level_cm)
    print(f"{context.run}: {len(lines)} lines, {len(refused)} refused")
    return {"levels": {station: smooth(some) for station, some in sorted(levels.items())}, "refused": refused}
