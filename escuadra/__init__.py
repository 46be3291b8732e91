"""Escuadra: measuring, judging and proving the set-up of driver-assistance sensor calibrations."""

import os

# A visit's matrices are small: threads that wait for each other cost more than they save. Before numpy is imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.2.0"
