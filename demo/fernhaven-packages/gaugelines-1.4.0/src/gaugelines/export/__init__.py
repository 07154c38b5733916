"""Tables for the harbour office's archive."""
