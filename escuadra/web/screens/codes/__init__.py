"""Fault codes before the work and after it."""
