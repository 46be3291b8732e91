"""What is the vehicle's own: how it stands, its tyres, its load, its lines, its number.

Entrance: ``stance.stance``, ``tyres``, ``ballast``, ``lines.lines``, ``strings.strings``, ``vin``, ``scope.scope``.
"""
