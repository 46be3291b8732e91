"""A sheet that says the same in other terms: the target must stand where it stood, and it comes to its signature."""

from collections.abc import Mapping
from typing import Any

import pytest

from escuadra.catalogue import Catalogue
from escuadra.catalogue.library import entry
from escuadra.core.base.errors import BadInput
from escuadra.core.bay.standing import target_places
from escuadra.core.procedure.profiles import FrameProfile, Target
from escuadra.core.procedure.sheet import Procedure, TargetPlace
from escuadra.core.visit.plan import Plan
from escuadra.rehearsal import rehearse
from tests.english import told

SENSOR_PLACE = {"kind": "sensor_place", "group": "line", "limits": {"nominal": -132, "minus": 15, "plus": 15}}
GAUGE = {
    "kind": "gauge",
    "tries": [
        {"does": "Go end between panel and emblem", "right": ["goes in"], "other": ["does not go in"]},
        {"does": "No-go end there", "right": ["does not go in"], "other": ["goes in"]},
    ],
}
ON_EMBLEM = {"kind": "laser_on_part", "part": "emblem", "limits": {"minus": 3, "plus": 3}}
KEPT = ("id", "group", "title")
SHEET, FRAME = "QR-CAM-01", "galga-2"


def otherwise(catalogue: Catalogue, sheet: str, says: Mapping[str, Any], of: Mapping[str, Any]) -> Catalogue:
    """The catalogue with a sheet that says something else, its limits about it, and its frame and target with ``of``.

    ``says``: fields of the sheet; ``checks.ID``: what is other of a check, or another check in its place.
    """
    given = catalogue.get("procedure", sheet).content
    data = given.model_dump(mode="json")
    for name, value in says.items():
        if name.startswith("checks."):
            k = next(k for k, check in enumerate(data["checks"]) if check["id"] == name.split(".")[1])
            kept = KEPT if "kind" in value else data["checks"][k]
            data["checks"][k] = {name: data["checks"][k][name] for name in kept} | value
        else:
            data[name] = value
    for check in data["checks"]:
        nominal = {"distance": data["distance"], "target_height": data["height"]}.get(check["kind"])
        if nominal is not None:
            check["limits"]["nominal"] = nominal
    read = Procedure.read(data)
    frame, target = catalogue.get("frame", FRAME).content, catalogue.get("target", read.mounting.target).content
    own = {
        ("frame", FRAME): FrameProfile.read({**frame.model_dump(mode="json"), **of.get("frame", {})}),
        ("target", target.id): Target.read({**target.model_dump(mode="json"), **of.get("target", {})}),
        ("procedure", sheet): read,
    }
    return Catalogue({**catalogue.entries, **{key: entry(key[0], found) for key, found in own.items()}})


def plan_of(catalogue: Catalogue, sheet: str = SHEET) -> Plan:
    procedure = catalogue.get("procedure", sheet).content
    return Plan(
        procedure,
        catalogue.get("vehicle", procedure.vehicle).content,
        catalogue.get("target", procedure.mounting.target).content,
        catalogue.get("frame", FRAME).content,
    )


def test_the_target_stands_where_it_stood_whatever_the_sheet_counts_to(catalogue: Catalogue) -> None:
    was = plan_of(catalogue)
    ahead, board, sheet = was.frame.face_offset, was.target.height, was.procedure
    mounting = sheet.mounting.model_dump()
    for says, of in (
        ({"distance": sheet.distance + ahead, "distance_to": "beam"}, {}),
        ({"distance": sheet.distance + ahead - 22, "distance_to": "slide_plate"}, {"frame": {"plate_offset": 22}}),
        ({"distance": sheet.distance + 61, "distance_to": "apex"}, {"target": {"behind": {"apex": 61}}}),
        ({"distance": sheet.distance - 14, "distance_to": "cross"}, {"target": {"behind": {"cross": -14}}}),
        ({"height": sheet.height - board / 2, "height_to": "bottom_edge"}, {}),
        ({"height": sheet.height + board / 2, "height_to": "top_edge"}, {}),
        ({"mounting": {**mounting, "spacer": 12}}, {"frame": {"face_offset": ahead - 12}}),
    ):
        plan = plan_of(otherwise(catalogue, SHEET, says, of))
        assert plan.nominal_goal == was.nominal_goal, says
        assert (plan.target_x, plan.target_above_floor) == (was.target_x, was.target_above_floor), says
    unknown = otherwise(catalogue, SHEET, {"distance_to": "apex"}, {})
    with pytest.raises(BadInput, match="profile"):
        _ = plan_of(unknown).nominal_goal


@pytest.mark.parametrize(
    ("origin", "place"),
    [
        ("rear_axle", (-1480.0, 730.0)),
        ("front_axle", (-1480.0 + 2600, 730.0)),
        ("LR", (-1480.0, 730.0 + 760)),
        ("RF", (-1480.0 + 2600, 730.0 - 755)),
        ("rear_bumper", (-1480.0 - 800, 730.0)),
        ("front_bumper", (-1480.0 + 2600 + 850, 730.0)),
    ],
)
def test_a_place_counts_from_whichever_part_the_sheet_names(
    catalogue: Catalogue, origin: Any, place: tuple[float, float]
) -> None:
    vehicle = catalogue.get("vehicle", plan_of(catalogue).procedure.vehicle).content
    outline = vehicle.outline.model_copy(update={"front_overhang": 850, "rear_overhang": 800})
    own = {"wheelbase": 2600, "hub_track_rear": 1520, "hub_track_front": 1510, "outline": outline}
    one = TargetPlace(id="one", x=-1480, y=730, counted_from=origin)
    sheet = plan_of(catalogue).procedure.model_copy(update={"places": [one]})
    (found,) = target_places(sheet, vehicle.model_copy(update=own))
    assert (found.x, found.y) == place


@pytest.mark.parametrize(
    ("sheet", "says", "of"),
    [
        (SHEET, {"distance_to": "beam", "height_to": "bottom_edge"}, {}),
        (SHEET, {"squared_from": "rear_hubs", "checks.centred": {"limits": {"minus": 4, "plus": 4, "closest": True}}}, {}),
        ("BL-RAD-06", {"steered": "either"}, {}),
        ("BL-RAD-01", {"distance_by": "direct"}, {}),
        ("BL-RAD-01", {"checks.doors": GAUGE, "checks.target_height": ON_EMBLEM}, {}),
        ("BL-RAD-01", {"offset_from": "sensor", "offset": 0, "checks.bracket": SENSOR_PLACE}, {}),
        ("BL-RAD-01", {"offset_from": "LF", "offset": -900}, {}),
        ("BL-CAM-02", {"height_to": "top_edge", "distance_to": "slide_plate"}, {"frame": {"plate_offset": 22}}),
        ("BL-RAD-05", {"distance_to": "apex"}, {"target": {"behind": {"apex": 61}}}),
    ],
)
def test_it_comes_to_its_signature(catalogue: Catalogue, sheet: str, says: dict[str, Any], of: dict[str, Any]) -> None:
    done = rehearse(otherwise(catalogue, sheet, says, of), sheet, FRAME)
    assert done.signed, told(done.why) if done.why else done
    for check in catalogue.get("procedure", sheet).content.checks:
        if check.kind in ("centred", "distance") and not sheet.startswith("BL-RAD-05"):
            assert abs(done.off[{"centred": "centre"}.get(check.kind, check.kind)]) <= check.limits.plus
