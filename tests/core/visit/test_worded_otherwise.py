"""A sheet that says the same in other terms: the target must stand where it stood, and it comes to its signature."""

from collections.abc import Mapping
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import numpy as np
import pytest

from escuadra.catalogue import Catalogue
from escuadra.catalogue.library import entry
from escuadra.commands import Garage
from escuadra.commands.forms import Opened
from escuadra.core.authoring.soundness import Shelf, doubts, never
from escuadra.core.base.axes import turned
from escuadra.core.base.corners import CORNERS
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.base.said import Length, Name
from escuadra.core.bay.standing import target_places
from escuadra.core.geodesy.state.located import Derived
from escuadra.core.procedure.cases import FOLLOWS, Circumstances
from escuadra.core.procedure.profiles import FrameProfile, Target
from escuadra.core.procedure.routine import TypedFigure
from escuadra.core.procedure.sheet import Procedure, TargetPlace
from escuadra.core.visit.checks.also_hung import AlsoHung, placed
from escuadra.core.visit.checks.base import Figure
from escuadra.core.visit.checks.frame import CentredCheck
from escuadra.core.visit.conductor import conducted
from escuadra.core.visit.log.events import RunStepped
from escuadra.core.visit.next_move import NextMove
from escuadra.core.visit.plan import Plan
from escuadra.rehearsal import rehearse
from escuadra.rehearsal.rehearse import MORNING, begun, run_through
from escuadra.rehearsal.technician import Technician
from tests.conftest import Clock, finished, minibus, peopled
from tests.english import refused, told

SENSOR_PLACE = {"kind": "sensor_place", "group": "line", "limits": {"nominal": -132, "minus": 15, "plus": 15}}
GAUGE = {
    "kind": "gauge",
    "tries": [
        {"does": "Go end between panel and emblem", "right": ["goes in"], "other": ["does not go in"]},
        {"does": "No-go end there", "right": ["does not go in"], "other": ["goes in"]},
    ],
}
ON_EMBLEM = {"kind": "laser_on_part", "part": "emblem", "limits": {"minus": 3, "plus": 3}}
WITHIN_4 = {"minus": 4, "plus": 4}
ALSO: dict[str, Any] = {
    "id": "beside",
    "kind": "also_hung",
    "group": "frame",
    "title": "Boards beside",
    "aside": {"minus": 6, "plus": 6},
    "distance": {"minus": 8, "plus": 8},
    "targets": [
        {
            "id": "left",
            "name": "Left board",
            "hang": 612,
            "edge_above": 50,
            "mounting": {"target": "VT-B", "side": "A", "way_up": "arrow up", "fixing": "both hooks"},
        }
    ],
}
CASE_FIGURES = "cases.one.figures"
KEPT = ("id", "group", "title")
SHEET, FRAME = "QR-CAM-01", "galga-2"


def otherwise(catalogue: Catalogue, sheet: str, says: Mapping[str, Any], of: Mapping[str, Any]) -> Catalogue:
    """The catalogue with a sheet that says something else, its limits about it, and its frame and target with ``of``.

    ``says``: fields of the sheet; ``checks.ID``: what is other of a check, or another check in its place; ``further``:
    one more check.
    """
    given = catalogue.get("procedure", sheet).content
    data = given.model_dump(mode="json")
    for name, value in says.items():
        if name == "further":
            data["checks"].append(value)
        elif name.startswith("checks."):
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
        (
            SHEET,
            {"squared_from": "rear_hubs", "checks.centred": {"limits": {"minus": 4, "plus": 4, "closest": True}}},
            {},
        ),
        ("BL-RAD-06", {"steered": "either"}, {}),
        (SHEET, {"further": ALSO}, {}),
        ("BL-RAD-01", {"distance_by": "direct"}, {}),
        ("BL-RAD-01", {"checks.doors": GAUGE, "checks.target_height": ON_EMBLEM}, {}),
        ("BL-RAD-01", {"offset_from": "sensor", "offset": 0, "checks.bracket": SENSOR_PLACE}, {}),
        ("BL-RAD-01", {"offset_from": "LF", "offset": -900}, {}),
        ("BL-CAM-02", {"height_to": "top_edge", "distance_to": "slide_plate"}, {"frame": {"plate_offset": 22}}),
        ("BL-RAD-05", {"distance_to": "apex", "height_to": "top_edge"}, {"target": {"behind": {"apex": 61}}}),
    ],
)
def test_it_comes_to_its_signature(catalogue: Catalogue, sheet: str, says: dict[str, Any], of: dict[str, Any]) -> None:
    done = rehearse(otherwise(catalogue, sheet, says, of), sheet, FRAME)
    assert done.signed, told(done.why) if done.why else done
    if sheet == "BL-RAD-05":
        assert {what: abs(off) < 14 for what, off in done.off.items()} == dict.fromkeys(done.off, True)
    for check in catalogue.get("procedure", sheet).content.checks:
        what = {"centred": "centre", "distance": "distance", "target_height": "height"}.get(check.kind)
        if what is not None and sheet != "BL-RAD-05":
            assert abs(done.off[what]) <= check.limits.plus, what


class Moved(Technician):
    """Keeps every move that was told."""

    def __init__(self, garage: Garage, start: int, person: str) -> None:
        super().__init__(garage, start, person)
        self.told: list[NextMove] = []

    @property
    def opened(self) -> Opened:
        found = super().opened
        if found.sheet.next.kind == "move" and found.sheet.next != next(iter(self.told[-1:]), None):
            self.told.append(found.sheet.next)
        return found


def test_a_scale_that_begins_elsewhere_shows_that_much_more_and_nothing_else(
    catalogue: Catalogue, tmp_path: Path
) -> None:
    begins, ends = 1113.0, []
    for zero in (0.0, begins):
        scaled = otherwise(catalogue, SHEET, {"further": ALSO}, {"frame": {"scale_zero": zero}})
        garage = Garage(tmp_path / f"{zero:.0f}", lambda: MORNING, scaled)
        who = Moved(garage, MORNING, begun(garage).person)
        assert run_through(who, SHEET, FRAME, (38.0, -27.0, 0.9, -12.0)).signed
        ends.append((who.opened.sheet, who.told))
        garage.close()
    (was, moves), (now, same_moves) = ends
    assert [told(move.sentence) for move in moves] == [told(move.sentence) for move in same_moves]
    slides = [
        (a.expect.value, b.expect.value)
        for a, b in zip(moves, same_moves, strict=True)
        if a.happening == "slide" and isinstance(a.expect, Length) and isinstance(b.expect, Length)
    ]
    assert slides
    for before, after in slides:
        assert after == pytest.approx(before + begins, abs=1e-6)
    for one, other in zip(was.checks, now.checks, strict=True):
        assert (one.state, one.check.id) == (other.state, other.check.id)
        for a, b in zip(one.judgement.figures, other.judgement.figures, strict=True):
            assert b.value == pytest.approx(a.value, abs=1e-6), a.id
            assert b.u == pytest.approx(a.u, abs=0.002), f"{a.id}: a scale is off by parts of what it shows"
    read = {id: (one.now[-1].value, now.slots[id].now[-1].value) for id, one in was.slots.items() if one.now}
    shown = {id: values for id, values in read.items() if values[0] != values[1]}
    assert {*shown} == {"crossing", "beside.left.scale"}
    for before, after in shown.values():
        assert after == pytest.approx(float(before) + begins, abs=1e-9)


@pytest.mark.parametrize(
    ("figure", "value", "typed"),
    [
        ({"unit": "mm"}, -3.4, -3.0),
        ({"unit": "cm", "positive": "right"}, -3.46, 0.3),
        ({"unit": "cm", "step": 0.5, "rounds": "up", "positive": "unsigned"}, -3.46, 0.5),
        ({"unit": "in", "step": 0.05, "rounds": "down"}, 3.46, 0.1),
        ({"unit": "deg", "positive": "right"}, 0.26, -0.3),
    ],
)
def test_a_measured_figure_is_typed_as_the_routine_counts_it(
    figure: dict[str, Any], value: float, typed: float
) -> None:
    one = TypedFigure.read({"id": "aside", "name": "Aside", "of": "centred", **figure})
    assert one.to_type(value) == pytest.approx(typed, abs=1e-9)
    with refused(BadInput, match="from"):
        one.model_copy(update={"least": 40.0, "most": 50.0}).to_type(value)


STEPS = [
    {
        "id": "typed",
        "does": "Type the offset in",
        "types": [
            {"id": "aside", "name": "Offset", "of": "centred", "unit": "cm", "positive": "right"},
            {"id": "far", "name": "Distance", "of": "distance", "unit": "mm", "step": 5, "most": 2700},
        ],
    },
    {"id": "learnt", "does": "Start it", "until": "the lamp is out", "most": 3, "others_at": "outside"},
]


def test_a_step_types_what_was_measured_and_is_repeated_so_often_and_no_more(
    tmp_path: Path, catalogue: Catalogue
) -> None:
    garage = peopled(Garage(tmp_path / "data", Clock(), otherwise(catalogue, "BL-CAM-01", {"steps": STEPS}, {})))
    who = finished(minibus(garage))
    measured = {id: figures_of(who, id)[0].value for id in ("centred", "distance")}
    who.step("typed")
    said = who.opened.state.steps[-1].said
    assert isinstance(said, RunStepped)
    assert said.typed == {
        "aside": round(-measured["centred"] / 10, 1) + 0.0,
        "far": 5 * round(measured["distance"] / 5),
    }
    for time in (1, 2):
        now = conducted(who.opened.sheet.plan.procedure, who.opened.state).now
        assert now is not None
        assert (now.repeats, now.once_more) == (time - 1, True)
        who.step("learnt", what="again")
    with refused(Conflict, match="at most"):
        who.step("learnt", what="again")
    who.step("learnt", what="interrupted", why="looked for the cause")
    run = conducted(who.opened.sheet.plan.procedure, who.opened.state)
    assert [(step.state, step.repeats) for step in run.steps] == [("now", 0), ("to_come", 0)], "it begins anew"
    who.step("typed")
    who.step("learnt", what="again")
    who.step("learnt")
    assert who.opened.sheet.all_run
    garage.close()


def test_tapes_from_the_rear_hubs_are_asked_first_and_alone(tmp_path: Path, catalogue: Catalogue) -> None:
    says = {"squared_from": "rear_hubs"}
    garage = peopled(Garage(tmp_path / "data", Clock(), otherwise(catalogue, "BL-CAM-01", says, {})))
    view = minibus(garage).opened.sheet.check("square")
    assert view is not None
    tapes = [one.slot for one in view.slots if one.slot.id.startswith("tape")]
    assert [slot.id[5:7] for slot in tapes] == ["LR", "LR", "RR", "RR", "LF", "LF", "RF", "RF"]
    assert [slot.optional for slot in tapes] == [False] * 4 + [True] * 4
    garage.close()


def figures_of(who: Technician, check: str) -> tuple[Figure, ...]:
    view = who.opened.sheet.check(check)
    assert view is not None
    return view.judgement.figures


CASES: list[dict[str, Any]] = [
    {"id": "low", "name": "low stance", "answers": {"stance": ["low"]}, "figures": {"height": 1402}},
    {"id": "other", "name": "with the other frame", "frames": ["galga-3"], "figures": {"distance": 2655}},
    {
        "id": "wide",
        "name": "on wide tyres",
        "sizes": ["235/65 R16 C"],
        "figures": {"height": 1425, "check.centred.limits.plus": 3},
    },
    {"id": "class_2", "name": "in ride-height class 2", "arches": [700, 720], "figures": {"height": 1410}},
    {"id": "aside", "name": "sensor far out", "offset_beyond": 80, "without": ["doors"], "differs": {"offset": -40}},
]


def test_a_sheet_reads_by_its_cases_where_they_apply(catalogue: Catalogue) -> None:
    sheet = plan_of(otherwise(catalogue, "BL-CAM-01", {"cases": CASES}, {}), "BL-CAM-01").procedure

    def reads(**known: Any) -> list[str]:
        return [case.id for case in sheet.reads_by(Circumstances.read(known))]

    assert reads() == []
    assert reads(answers={"stance": "low"}, frame="galga-3", offset=-81) == ["low", "other", "aside"]
    assert reads(answers={"stance": "raised"}, frame="galga-2", offset=80) == []
    assert reads(sizes=["235/65 R16 C"] * 4) == ["wide"]
    assert reads(sizes=["235/65 R16 C"] * 3) == reads(sizes=["235/65 R16 C"] * 3 + ["225/75 R16 C"]) == []
    assert (reads(arch=700.0), reads(arch=720.0)) == (["class_2"], [])
    read = sheet.in_case([case for case in sheet.cases if case.id != "class_2"])
    nominal = {check.kind: check.limits.nominal for check in read.checks if check.kind in FOLLOWS}  # type: ignore[attr-defined]
    assert (read.height, read.distance, read.offset) == (1425, 2655, -40), "a later case counts last"
    assert nominal == {"distance": 2655, "target_height": 1425}
    assert "doors" not in {check.id for check in read.checks}
    assert sheet.in_case([]) is sheet
    wrongs: list[dict[str, Any]] = [{"without": ["nothing"]}, {"figures": {"check.centred.limits.aside": 1}}]
    odd: tuple[dict[str, Any], ...] = ({"colour": 1}, {"id": "X-1"}, {"checks": 5}, {"checks": [{"id": "a"}]})
    wrongs += [{"differs": one} for one in (*odd, {"stations": [{"name": "left"}]})]
    for wrong in wrongs:
        with pytest.raises(BadInput, match=r"cases\.0"):
            otherwise(catalogue, "BL-CAM-01", {"cases": [{"id": "one", "name": "one", **wrong}]}, {})


def test_targets_that_hang_on_one_another_or_out_of_reach_are_found(catalogue: Catalogue) -> None:
    vehicles = {entry.id: entry.content for entry in catalogue.all("vehicle")}
    targets = {entry.id: entry.content for entry in catalogue.all("target")}
    shelf = Shelf(vehicles, targets, [catalogue.get("frame", FRAME).content], [])
    for hang, found in ((600, ["checks.beside.targets"]), (1700, ["offset"])):
        also = {**ALSO, "targets": [{**ALSO["targets"][0], "hang": hang}]}
        sheet = plan_of(otherwise(catalogue, SHEET, {"further": also}, {})).procedure
        assert [one.way for one in doubts(sheet, shelf) if one.way in ("offset", "checks.beside.targets")] == found


def test_a_case_that_nothing_can_meet_is_found_before_release(catalogue: Catalogue) -> None:
    vehicles = {entry.id: entry.content for entry in catalogue.all("vehicle")}
    targets = {entry.id: entry.content for entry in catalogue.all("target")}
    shelf = Shelf(vehicles, targets, [entry.content for entry in catalogue.all("frame")], [])
    one = {"id": "one", "name": "one"}
    for figures, of in (({"height": 2450}, 2), ({"distance": 500}, 1)):
        cases = {"cases": [{**one, "figures": figures}]}
        sheet = plan_of(otherwise(catalogue, "BL-CAM-01", cases, {}), "BL-CAM-01").procedure
        assert [found.way for found in doubts(sheet, shelf) if found.way.startswith("cases")] == [CASE_FIGURES] * of
    for says, way in (
        ({"answers": {"colour": ["red"]}}, "cases.one.answers"),
        ({"frames": ["galga-9"]}, "cases.one.frames"),
        ({"sizes": ["1/1 R1"]}, "cases.one.sizes"),
    ):
        sheet = plan_of(otherwise(catalogue, "BL-CAM-01", {"cases": [{**one, **says}]}, {}), "BL-CAM-01").procedure
        assert [found.way for found in never(sheet, shelf)] == [way]


def test_a_visit_follows_the_case_that_its_tyres_and_its_frame_make(tmp_path: Path, catalogue: Catalogue) -> None:
    garage = peopled(Garage(tmp_path / "data", Clock(), otherwise(catalogue, "BL-CAM-01", {"cases": CASES}, {})))
    who = minibus(garage)
    sizes = who.opened.sheet.plan.vehicle.tyres.sizes  # type: ignore[union-attr]
    assert "235/65 R16 C" in sizes, sizes
    assert (who.opened.sheet.plan.procedure.height, who.opened.sheet.plan.reads_as) == (1417, None)
    for corner in CORNERS:
        who.answer(f"tyre.size.{corner}", "235/65 R16 C")
    plan = who.opened.sheet.plan
    assert (plan.procedure.height, told(plan.reads_as)) == (1425, "This sheet as it reads on wide tyres.")
    who.answer("tyre.size.LF", next(size for size in sizes if size != "235/65 R16 C"))
    assert who.opened.sheet.plan.procedure.height == 1417
    garage.close()


def test_a_target_beside_stands_where_the_beam_carries_it(tmp_path: Path, catalogue: Catalogue) -> None:
    garage = peopled(Garage(tmp_path / "data", Clock(), otherwise(catalogue, "BL-CAM-01", {"further": ALSO}, {})))
    who = finished(minibus(garage))
    assert who.opened.sheet.next.slot == "beside.left.identity"
    epochs = who.opened.sheet.epochs
    solution = epochs.solved_for("centre")
    assert solution is not None
    one = AlsoHung.read(ALSO["targets"][0])
    pose, angle = solution.pose, solution.derived("line_angle").value
    hangs, face = 640.0, epochs.plan.frame.face_offset
    x, y = turned(pose.yaw_deg, -face, hangs)
    ahead, _ = turned(-angle, pose.x + x - solution.datum[0], pose.y + y - solution.line_point[1])
    aside, far = placed(epochs, solution, one, hangs)
    _, beside = turned(-angle, pose.x + x - solution.line_point[0], pose.y + y - solution.line_point[1])
    assert aside.value == pytest.approx(beside - 612, abs=0.3)
    assert far.value == pytest.approx(ahead - epochs.plan.procedure.distance, abs=1.0)
    assert aside.u == pytest.approx(solution.derived("offset").u, rel=0.1)
    who.answer("beside.left.identity", "VT-A 61")
    who.read("beside.left.scale", "640", "rule-3")
    view = who.opened.sheet.check("beside")
    assert view is not None
    assert "VT-A 61, not" in told(view.judgement.mismatch)
    assert view.judgement.figures[0].verdict.state == "out"
    assert view.judgement.figures[0].u > aside.u, "where it hangs was read with an instrument"
    who.read("beside.left.scale", "612", "rule-3", replaces=True)
    for typed, state, way in (("51", "holds", ""), ("55", "out", "down"), ("45", "out", "up")):
        who.read("beside.left.edge", typed, "rule-3", replaces=True)
        view = who.opened.sheet.check("beside")
        assert view is not None
        (edge,) = (figure for figure in view.judgement.figures if figure.id.endswith(".edge"))
        assert (edge.verdict.state, edge.value) == (state, pytest.approx(float(typed) - 50, abs=0.3))
        move = view.check.put_right(epochs, view.judgement)
        assert (move.sentence.code if move is not None else "") == (f"also_hung.shift.{way}" if way else "")
    garage.close()


@pytest.mark.parametrize("turn", [-2.0, 0.0, 1.5])
def test_a_turned_beam_carries_what_hangs_beside_round_with_it(catalogue: Catalogue, turn: float) -> None:
    plan = plan_of(otherwise(catalogue, SHEET, {"further": ALSO, "offset": 30}, {}))
    axes = dict(zip(("square", "distance", "middle"), np.eye(3), strict=True))

    class Found:
        """A solution that tells only this."""

        def __init__(self, square: float) -> None:
            self.told = {"square": square, "distance": plan.procedure.distance + 4, "middle": 41.0}
            self.middle_beside = self.derived("middle")

        def derived(self, what: str) -> Derived:
            return Derived(self.told[what], 0.0, axes[what])

        def sum(self, value: float, *parts: tuple[float, Derived]) -> Derived:
            told = value + sum(factor * one.value for factor, one in parts)
            return Derived(told, 0.0, np.sum([factor * one.gradient for factor, one in parts], axis=0))

    one, hangs, by = AlsoHung.read(ALSO["targets"][0]), 640.0, 1e-3

    def found(square: float) -> tuple[Derived, Derived]:
        return placed(SimpleNamespace(plan=plan), Found(square), one, hangs)  # type: ignore[arg-type]

    aside, far = found(turn)
    ahead, left = turned(turn, -plan.frame.face_offset, hangs)
    main, _ = turned(turn, -plan.frame.face_offset, 0.0)
    assert aside.value == pytest.approx(41.0 + left - (30 + 612))
    assert far.value == pytest.approx(4.0 + ahead - main)
    slopes = [(b.value - a.value) / (2 * by) for a, b in zip(found(turn - by), found(turn + by), strict=True)]
    assert [*aside.gradient] == pytest.approx([slopes[0], 0, 1], abs=1e-5)
    assert [*far.gradient] == pytest.approx([slopes[1], 1, 0], abs=1e-5)


@pytest.mark.parametrize(
    ("value", "u", "state"),
    [(0.8, 0.2, "holds"), (1.1, 0.2, "out"), (1.1, 0.6, "holds"), (-1.3, 0.6, "out"), (5, 0.2, "out")],
)
def test_as_close_as_can_be_told(value: float, u: float, state: str) -> None:
    check = CentredCheck.read({"id": "c", "kind": "centred", "group": "frame", "title": "C", "limits": WITHIN_4})
    close = check.limits.model_copy(update={"closest": True})
    figure = check.figure("centre", Name("C"), value, u, close, "mm")
    assert figure.verdict.state == state
    assert check.figure("centre", Name("C"), value, u, check.limits, "mm").verdict.state == (
        "out" if value > 4 else "holds"
    )
    assert told(figure.allowed) == "as close as can be told, and within 4\u202fmm"


@pytest.mark.parametrize(("read", "lowers"), [("6", "plus"), ("6", "minus")])
def test_a_laser_that_meets_the_part_too_high_lowers_the_target(
    tmp_path: Path, catalogue: Catalogue, read: str, lowers: str
) -> None:
    laser = {"id": "laser", "group": "frame", "title": "Laser", **ON_EMBLEM}
    garage = peopled(Garage(tmp_path / "data", Clock(), otherwise(catalogue, "BL-CAM-01", {"further": laser}, {})))
    who = finished(minibus(garage))
    who.read("laser.part", read, "laser-2", lowers)
    view = who.opened.sheet.check("laser")
    assert view is not None
    move = view.check.put_right(who.opened.sheet.epochs, view.judgement)
    assert move is not None
    assert (view.state, move.happening, move.steps[0].amount) == ("out", "height", -6 if lowers == "plus" else 6)
    garage.close()
