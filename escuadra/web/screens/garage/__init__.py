"""Garage: its people, bays and time zone; what is needed before a first job."""
