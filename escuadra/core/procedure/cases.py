"""What of a sheet is otherwise with another frame, on other tyres, on a variant, or where the sensor sits farther out.

One procedure is often given for several pieces of equipment and several heights of the vehicle. A case states only what
differs; where several apply, a later one counts last. Source: our own reading of how sheets are worded.
"""

from collections.abc import Mapping
from copy import deepcopy
from typing import Any

from pydantic import Field

from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import CatalogueText, Frozen, Number, Positive
from escuadra.core.base.said import said

WHOLE = ("distance", "offset", "height")
"""Figures of the sheet itself."""
SAME = ("id", "revision", "vehicle", "reasons", "covers", "cases")
"""Fields that are what the sheet is: no case changes them."""
FOLLOWS = {"distance": "distance", "target_height": "height"}
"""Kind of check: the figure of the sheet that its nominal is."""


class Case(Frozen):
    """When a sheet reads otherwise, and what differs; what is not said counts for any."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    name: CatalogueText = Field(description="as it is said: with the low frame, on 19-inch wheels, without a radar")
    answers: dict[str, list[str]] = Field({}, description="question of the model: the options that it is for")
    frames: list[str] = Field([], description="ids of the frames that it is for")
    sizes: list[str] = Field([], description="tyre sizes that it is for, on all four wheels")
    arches: tuple[Number, Number] | None = Field(
        None, description="ride-height class: mean of the four arches as measured, from and up to, mm"
    )
    offset_beyond: Positive | None = Field(None, description="the sensor sits farther than that off the middle, mm")
    figures: dict[str, Number] = Field(
        {}, description="what is otherwise by its path: distance, height, check.ID.limits.plus; mm or degrees"
    )
    differs: dict[str, Any] = Field({}, description="other fields of the sheet with what they are then")
    without: list[str] = Field([], description="ids of checks that are not made then")


class Circumstances(Frozen):
    """What decides which cases apply, as far as it is known."""

    answers: dict[str, str] = Field({}, description="question: the option that it is")
    frame: str = Field("", description="id of the frame; empty: not chosen yet")
    sizes: list[str] = Field([], description="of the tyres, wheel by wheel; fewer than four: not all were looked at")
    arch: Number | None = Field(None, description="mean of the four arches, mm; none: not all were read")
    offset: Number = Field(0.0, description="of the sensor off the vehicle's middle, mm")


def applies(case: Case, known: Circumstances) -> bool:
    """All that a case names is so; what is not known is not."""
    sizes = known.sizes
    return (
        all(known.answers.get(question, "") in options for question, options in case.answers.items())
        and (not case.frames or known.frame in case.frames)
        and (not case.sizes or (len(sizes) == 4 and {*sizes} <= {*case.sizes}))
        and (case.arches is None or (known.arch is not None and case.arches[0] <= known.arch < case.arches[1]))
        and (case.offset_beyond is None or abs(known.offset) > case.offset_beyond)
    )


def with_case(data: Mapping[str, Any], case: Case) -> dict[str, Any]:
    """A sheet's plain data as it reads then, checks of a figure that differs being about that.

    Raises ``BadInput`` for a path or a check that it does not have.
    """
    fixed = next((name for name in SAME if name in case.differs), None)
    if fixed is not None:
        raise BadInput("differs", fixed, said("wants.fields_that_can_differ", fixed=", ".join(SAME)))
    found = {**data, **case.differs}
    for name in ("checks", "stations"):
        listed = found.get(name, [])
        if not isinstance(listed, list) or not all(isinstance(one, dict) and "id" in one for one in listed):
            raise BadInput(name, str(listed)[:60], said("wants.list_with_ids"))
    known = [check["id"] for check in found["checks"]]
    stranger = next((id for id in case.without if id not in known), None)
    if stranger is not None:
        raise BadInput("without", stranger, said("wants.one", names=", ".join(known)))
    found["checks"] = [check for check in found["checks"] if check["id"] not in case.without]
    found = with_figures(found, case.figures)
    for check in found["checks"]:
        figure = FOLLOWS.get(str(check.get("kind")))
        if figure in case.figures and isinstance(check.get("limits"), dict):
            check["limits"]["nominal"] = found[figure]
    return found


def with_figures(data: Mapping[str, Any], figures: Mapping[str, float]) -> dict[str, Any]:
    """A sheet's plain data with figures replaced by their paths; raises ``BadInput`` where one leads to no figure."""
    found = deepcopy(dict(data))
    for path, value in figures.items():
        parts = path.split(".")
        if len(parts) == 1 and parts[0] in WHOLE:
            found[parts[0]] = value
            continue
        places = [("check", c) for c in found["checks"]] + [("station", s) for s in found.get("stations", [])]
        where: Any = next((entry for kind, entry in places if parts[:2] == [kind, entry["id"]]), None)
        for part in parts[2:-1]:
            where = where.get(part) if isinstance(where, dict) else None
        if not isinstance(where, dict) or not isinstance(where.get(parts[-1]), int | float):
            raise BadInput("path", path, said("wants.figure_sheet"))
        where[parts[-1]] = int(value) if isinstance(where[parts[-1]], int) else value
    return found
