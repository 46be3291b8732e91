"""Stations: what to move, set and read again from one place to the next, how each run stands, and "it was run"."""
