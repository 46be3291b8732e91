"""What is worked out about the run itself.

Entrance: ``radar.reflection``, ``radar.screws``.
"""
