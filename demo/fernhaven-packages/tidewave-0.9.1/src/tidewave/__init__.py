"""Smooths water levels; the arithmetic is compiled."""

import ctypes
import os

_library = ctypes.CDLL(os.path.join(os.path.dirname(__file__), "libtidewave.so"))
_library.smooth.restype = ctypes.c_double
_library.smooth.argtypes = [ctypes.POINTER(ctypes.c_double), ctypes.c_int]


def smooth(levels):
    """A weighted mean in which each later level counts twice as much as the one before."""
    values = (ctypes.c_double * len(levels))(*levels)
    return round(_library.smooth(values, len(levels)), 2)
