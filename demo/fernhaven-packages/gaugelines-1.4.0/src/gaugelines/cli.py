"""Reads lines from standard input."""

import sys

from . import parse_line


def main():
    for line in sys.stdin:
        print(parse_line(line))
