"""Readying the vehicle the short way: all as specified, exceptions only."""
