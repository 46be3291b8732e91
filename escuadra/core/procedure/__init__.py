"""What a sheet prescribes, and the profiles of vehicle, frame and target that it is held against.

Entrance: ``sheet.Procedure``, ``profiles.VehicleModel``, ``profiles.FrameProfile``, ``moves.moves``, ``feet.feet``.
"""
