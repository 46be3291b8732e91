"""A sheet that is being written in the made-up garage, with the made-up page that it is typed from beside it."""

from escuadra.commands.writing import BeginEntry, KeepPage, TypeFields
from escuadra.core.base.entry import FigureSource
from escuadra.rehearsal.technician import Technician

SHEET, LIKE = "QR-CAM-05", "QR-CAM-01"
PAGE = """QUILLON RISCO, RAISED, TWO LENSES                      made-up figures: practice only
Camera behind the windscreen, after a new windscreen                        page 7 of 9

Board VT-B, side B to the vehicle, arrow up, on both hooks.
Distance from the front hub centres to the board's face     84 5/8 in    +/- 3/16 in
Board's centre above the plane of the tyres                 132.4 cm     +/- 4 mm
Square to the thrust line                                   15'
Nobody within 2.5 m of the board while the routine runs.
"""
SOURCE = FigureSource(document="Risco camera, practice page", page="7", day="2026-02-17")


def write(who: Technician) -> None:
    """Amara begins a sheet: its distance is typed, the check of it not yet."""
    garage, person = who.garage, who.person
    garage.do(BeginEntry("procedure", SHEET, LIKE), person, who.id())
    garage.do(KeepPage("procedure", SHEET, "risco-camera-7.txt", PAGE.encode()), person, who.id())
    typed = {"title": "Front windscreen camera, board at 84 5/8 in", "distance": "84 5/8 in", "height": "132.4 cm"}
    seen = garage.store.count(f"entry/procedure/{SHEET}")
    garage.do(TypeFields("procedure", SHEET, seen, typed, {}, SOURCE), person, who.id())
