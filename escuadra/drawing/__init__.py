"""SVG from core results: pure functions to markup, shared by screens and reports.

Every mark is drawn with classes and presentation attributes only, so that a strict content policy holds and the
two themes and the printed record style it alike.
"""

from escuadra.drawing.approach import approach_view
from escuadra.drawing.bay_map import bay_view, section_view
from escuadra.drawing.course import course_view
from escuadra.drawing.drafting import growing, limits_rule
from escuadra.drawing.drive import speed_view, stretches, way_view
from escuadra.drawing.floor_marks import marks_view
from escuadra.drawing.glyph import glyph
from escuadra.drawing.level import level_view
from escuadra.drawing.lines import lines_view
from escuadra.drawing.plan import plan_view, stations_view
from escuadra.drawing.rule import rule
from escuadra.drawing.self_check import self_check_view
from escuadra.drawing.side import side_view
from escuadra.drawing.stations import corner_picture

__all__ = [
    "approach_view",
    "bay_view",
    "corner_picture",
    "course_view",
    "glyph",
    "growing",
    "level_view",
    "limits_rule",
    "lines_view",
    "marks_view",
    "plan_view",
    "rule",
    "section_view",
    "self_check_view",
    "side_view",
    "speed_view",
    "stations_view",
    "stretches",
    "way_view",
]
