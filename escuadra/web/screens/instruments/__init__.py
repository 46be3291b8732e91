"""Instruments: the register, one instrument with its history, and its files."""
