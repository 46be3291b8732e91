"""What is worked out about the drive on the road.

Entrance: ``drive.drive``.
"""
