"""Reads the lines that tide gauges send: `pier 2031-11-05T05:20Z 3.18 m`."""

from .parse import Reading, parse_line

__all__ = ["Reading", "parse_line"]
