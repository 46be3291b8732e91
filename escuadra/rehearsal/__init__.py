"""A set-up done without anybody: what a sheet says next is done in a bay where things truly stand somewhere."""

from escuadra.rehearsal.following import Stuck, follow
from escuadra.rehearsal.rehearse import Rehearsed, rehearse
from escuadra.rehearsal.technician import Technician

__all__ = ["Rehearsed", "Stuck", "Technician", "follow", "rehearse"]
