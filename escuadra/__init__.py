"""Escuadra: measuring, judging and proving the set-up of driver-assistance sensor calibrations."""

__version__ = "0.1.0"
