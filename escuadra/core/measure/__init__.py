"""Readings and what they decide: a value and its uncertainty, a verdict, pairs, shares, what an angle does on the
road.

Entrance: ``readings.reading``, ``verdict.verdict``, ``symmetry.symmetry``, ``budget.shares``, ``aim.aim``,
``peers.peers``.
"""
