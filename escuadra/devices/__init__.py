"""Devices outside: what each must offer, and simulated stand-ins that ship with the application.

A device yields proposed readings; only a person's acceptance makes one of them an event.
"""

from escuadra.devices.camera_rig import CameraRig, Look, SimulatedRig
from escuadra.devices.link import LinkedRig, LoopbackDevices, Proposed

__all__ = ["CameraRig", "LinkedRig", "Look", "LoopbackDevices", "Proposed", "SimulatedRig"]
