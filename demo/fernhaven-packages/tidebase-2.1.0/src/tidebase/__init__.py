"""Datums and units of Fernhaven's tide gauges."""

from .datum import to_chart_datum
from .units import to_centimetres

__all__ = ["to_chart_datum", "to_centimetres"]
