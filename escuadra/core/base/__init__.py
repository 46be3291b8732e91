"""What everything stands on: models and their fields, errors, quantities, axes, streams, and what is said.

Entrance: ``model.Frozen``, ``errors.BadInput``, ``said.said``, ``quantities.Quantity``, ``axes.Pose``,
``corners.Corner``, ``stream.Event``.
"""
