"""SVG from core results: pure functions to markup, shared by screens and reports.

Every mark is drawn with classes and presentation attributes only, so that a strict content policy holds and the
two themes and the printed record style it alike.
"""

from escuadra.drawing.bay_map import bay_view, section_view
from escuadra.drawing.course import course_view
from escuadra.drawing.floor_marks import marks_view
from escuadra.drawing.glyph import glyph
from escuadra.drawing.level import level_view
from escuadra.drawing.lines import lines_view
from escuadra.drawing.plan import plan_view
from escuadra.drawing.rule import rule
from escuadra.drawing.side import side_view

__all__ = [
    "bay_view",
    "course_view",
    "glyph",
    "level_view",
    "lines_view",
    "marks_view",
    "plan_view",
    "rule",
    "section_view",
    "side_view",
]
