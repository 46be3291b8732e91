"""Readings and what they decide: one value with its uncertainty, a verdict, pairs, shares, what an angle means on the road.

Entrance: ``readings.reading``, ``verdict.verdict``, ``symmetry.symmetry``, ``budget.shares``, ``aim.aim``.
"""
