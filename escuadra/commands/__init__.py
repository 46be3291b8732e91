"""Commands: the one way in for whatever changes a job, used by screens, devices, demo, command line and tests."""

from escuadra.commands.forms import Asked, Opened, TakeIn, Unreadable
from escuadra.commands.garage import Garage

__all__ = ["Asked", "Garage", "Opened", "TakeIn", "Unreadable"]
