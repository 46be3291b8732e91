"""The floor and the room: bays and what stands in them, surveys and their surface, where a vehicle can stand.

Entrance: ``bay.Bay``, ``survey``, ``ground``, ``room``, ``parking``, ``standing``.
"""
