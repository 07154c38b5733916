"""Prints the tide table. Nothing here is found out by building it."""

import os

from tidebase import to_chart_datum

DAYS = int(os.environ["TABEL_DAYS"])


def print_table(event):
    match event:
        case {"station": station}:
            return [to_chart_datum(station, 300 + day) for day in range(DAYS)]
