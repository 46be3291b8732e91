"""Commands: the one way in for whatever changes a job, used by screens, devices, demo, command line and tests."""

from escuadra.jobs.garage import Asked, Garage, Opened, Recorded, TakeIn

__all__ = ["Asked", "Garage", "Opened", "Recorded", "TakeIn"]
