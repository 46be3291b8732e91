"""Every drawing, element by element, made at once from what is at hand: what a golden file of drawings holds.

The sheets are those of a data folder that is kept for good, and of a few set-ups taken as far as their first move.
"""

import dataclasses
import re
import sys
import zipfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import closing
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any, get_args

import numpy as np

from escuadra.catalogue import Catalogue, load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands.garage import Garage
from escuadra.core.base.said import Name, said
from escuadra.core.bay.bay import Place
from escuadra.core.bay.relief import plane_of, relief, section
from escuadra.core.bay.survey import Surface
from escuadra.core.instruments.guided import CHECKS
from escuadra.core.instruments.self_checks import BiasEntry, DriftInput, drift
from escuadra.core.measure.verdict import VerdictInput, verdict
from escuadra.core.procedure.limits import Limits
from escuadra.core.procedure.variants import Picture
from escuadra.core.road.needed import Display, DriveSpec
from escuadra.core.road.trace import Trace
from escuadra.core.run.radar import TiltInput, tilt
from escuadra.core.vehicle.scope import Done
from escuadra.core.visit.advice.approach import ToGo
from escuadra.core.visit.aiming import Tilted
from escuadra.core.visit.checks import Figure
from escuadra.core.visit.driving import course, driven
from escuadra.core.visit.floor_marks import floor_marks
from escuadra.core.visit.lenses import SIGNS
from escuadra.core.visit.log.whole import WorkTold
from escuadra.core.visit.mirror import Spot
from escuadra.core.visit.needed import scoped
from escuadra.core.visit.next_move import NextMove, Step
from escuadra.core.visit.residuals import DAY_MS, Shown, compared
from escuadra.core.visit.sheet import Sheet
from escuadra.core.visit.why import Of
from escuadra.devices.virtual_bay import VirtualBay
from escuadra.drawing import (
    approach_view,
    bay_view,
    corner_picture,
    course_view,
    glyph,
    growing,
    level_view,
    limits_rule,
    lines_view,
    marks_view,
    plan_view,
    rule,
    section_view,
    self_check_view,
    side_view,
    speed_view,
    stations_view,
    way_view,
)
from escuadra.drawing.aiming import screws_view, spot_view, tilts_view
from escuadra.drawing.car_parts import car_parts_view
from escuadra.drawing.lens_lines import lens_lines_view
from escuadra.drawing.residuals import residuals_view
from escuadra.drawing.variant_pictures import variant_picture
from escuadra.drawing.why import why_view
from escuadra.rehearsal.following import Stuck, follow
from escuadra.rehearsal.rehearse import MORNING, START, begun
from escuadra.rehearsal.technician import Technician
from tests.kept.making import KEPT

HERE = Path(__file__).parent / "drawings"
RELEASED = KEPT / "0.2.0.zip"
AT = 1_800_000_000_000
SURFACES: tuple[Surface, ...] = get_args(Surface)
IN_WORK = ("VF-0504", "VF-0501", "VF-0418", "VF-0416")
"""Visits of the kept folder, whose sheets have come differently far."""
FIRST_MOVE, READY = ("move", "screws"), ("run", "result", "sign")
SET_UP = {
    **dict.fromkeys(("BL-CAM-01", "BL-SUR-03", "QE-MIR-01", "QR-CAM-04"), (FIRST_MOVE, READY)),
    **dict.fromkeys(("BL-SUR-02", "HV-RAD-01"), (FIRST_MOVE,)),
    "BL-RAD-06": (),
}
"""Sheets whose targets stand in different ways, and how far each is taken."""
AXES: dict[str, tuple[str, ...]] = {
    "slide": ("left",), "push": ("left", "away"), "shift": ("hang",), "height": ("up",), "turn": ("yaw",),
    "yaw": ("screw",), "level": ("foot",), "plumb.front": ("left",), "plumb.rear": ("left",),
}  # fmt: skip
Scene = Callable[[Catalogue, Path], Iterator[tuple[str, str]]]
"""What drawings are called in their file, and each."""


def kept_garage(catalogue: Catalogue, folder: Path) -> Garage:
    """The data folder that a released version wrote."""
    with zipfile.ZipFile(RELEASED) as packed:
        packed.extractall(folder / "kept")
    return Garage(folder / "kept", lambda: AT, catalogue)


def of_sheet(sheet: Sheet) -> Iterator[str]:
    """All that is drawn of a sheet as it stands."""
    for view in sheet.checks:
        for one in ("", *(slot.slot.id for slot in view.slots)):
            yield plan_view(sheet, slot=one, check=view)
            yield corner_picture(sheet.epochs, one) if one else ""
    yield plan_view(sheet, magnify=False, whole=True, size=(780, 400), foot=6)
    for magnify in (True, False):
        yield side_view(sheet, magnify=magnify)
        yield level_view(sheet, magnify=magnify)
        if sheet.epochs.lines is not None:
            yield lines_view(sheet, magnify=magnify)
    if sheet.epochs.lines is not None and sheet.epochs.lines.line is not None:
        yield marks_view(sheet, floor_marks(sheet.epochs))
    if sheet.stations:
        yield stations_view(sheet)
    for slot in sheet.slots.values():
        yield glyph(sheet.next, slot)


def moves() -> Iterator[NextMove]:
    """Every motion, both ways."""
    for what, axes in AXES.items():
        for axis in axes:
            for amount in (3.5, -2.25):
                for at in {"screw": ("LF_end", "RF_end"), "foot": ("LF", "RR")}.get(axis, ("",)):
                    step = Step(axis=axis, amount=amount, at=at)  # type: ignore[arg-type]
                    yield NextMove("move", said("as_told", text=what), steps=(step,), happening=what)


def visits(catalogue: Catalogue, folder: Path) -> Iterator[tuple[str, str]]:
    """Sheets of the kept folder."""
    with closing(kept_garage(catalogue, folder)) as garage:
        with garage.store.reading() as log:
            rows = log.rows()
        for row in (row for row in rows if row.number in IN_WORK):
            for id in garage.whole(row.id).visit.calibrations:
                opened = garage.open(row.id, id)
                yield from ((f"{row.number} {opened.sheet.plan.procedure.id}", svg) for svg in of_sheet(opened.sheet))


def motions(catalogue: Catalogue, folder: Path) -> Iterator[tuple[str, str]]:
    """Every motion, drawn in every view of a finished set-up."""
    with closing(kept_garage(catalogue, folder)) as garage:
        sheet = next(one.sheet for one in garage.jobs() if not hasattr(one, "why") and one.sheet.epochs.newest)
        for move in moves():
            sheet.__dict__["next"] = move
            for view in (plan_view, side_view, level_view):
                yield move.happening, view(sheet)
            yield move.happening, glyph(move)


def set_up(sheet: str) -> Scene:
    """A sheet before anything was read, with the lines found, and as it is taken further."""

    def drawn(catalogue: Catalogue, folder: Path) -> Iterator[tuple[str, str]]:
        with closing(Garage(folder / "made", lambda: MORNING, catalogue)) as garage:
            who = Technician(garage, MORNING, begun(garage).person)
            reason = catalogue.get("procedure", sheet).content.reasons[0]
            who.take_in(number="R-1", reason=reason, bay="Norte", procedure=sheet, frame="galga-2")
            yield from (("begun", svg) for svg in of_sheet(who.opened.sheet))
            who.ready()
            who.stance(0, 0, 0, 0)
            if "mark.front" in who.opened.sheet.slots:
                who.line(("0.07", "0.05"))
            yield from (("lines", svg) for svg in of_sheet(who.opened.sheet))
            bay = VirtualBay(who.opened.sheet.plan, START, seed=3)
            for kinds in SET_UP[sheet]:
                try:
                    follow(who, bay, *kinds)
                except Stuck:
                    continue
                yield from ((kinds[0], svg) for svg in of_sheet(who.opened.sheet))

    return drawn


def bays(catalogue: Catalogue, folder: Path) -> Iterator[tuple[str, str]]:
    """Bays, their floors, and vehicles parked in them."""
    with closing(kept_garage(catalogue, folder)) as garage:
        for one in garage.store.bays():
            bay, _ = garage.floors.bay(one)
            if bay is None:
                continue
            yield one, bay_view(bay)
            yield one, bay_view(bay, 330, small=True)
            moved = [("P1", 1000.0, 700.0, "+1.2"), ("P2", 5200.0, 2900.0, "−0.4")]
            yield one, bay_view(bay, points=moved)
            for sheet, turn in (("BL-CAM-01", 0.0), ("BL-SUR-03", 90.0), ("BL-RAD-06", 183.0)):
                procedure = catalogue.get("procedure", sheet).content
                vehicle = catalogue.get("vehicle", procedure.vehicle).content
                place = Place(x=2800, y=2100, heading_deg=turn)
                others = [("2", Place(x=3300, y=1800, heading_deg=turn + 4)), ("3", Place(x=4000, y=2500))]
                yield one, bay_view(bay, parked=(place, vehicle, [procedure]), others=others)
            for row in garage.floors.surveys(one):
                if row.sheet is None:
                    draft = garage.floors.draft(row.id)
                    yield one, bay_view(bay, draft=draft)
                    continue
                ground = garage.floors.closed(row.id).ground
                for surface in SURFACES:
                    if surface not in ground.meshes:
                        continue
                    xy = ground.xy[ground.meshes[surface].index]
                    (x0, y0), (x1, y1) = xy.min(axis=0), xy.max(axis=0)
                    cut = ((float(x0), float(y0 + y1) / 2), (float(x1), float(y0 + y1) / 2))
                    yield one, bay_view(bay, relief=relief(ground, plane_of(ground, surface), surface), cut=cut)
                    heights = section(ground, *cut, surface)
                    title = said("as_told", text="cut")
                    yield one, section_view(heights, ground.survey.u, title=title) if heights else ""


def entries(catalogue: Catalogue, _: Path) -> Iterator[tuple[str, str]]:
    """Entries being written: whole, and without one figure after the other."""
    for kind in ("vehicle", "target", "frame", "stand", "procedure"):
        for nth, entry in enumerate(catalogue.all(kind)):
            data = entry.content.model_dump(mode="json", exclude_none=True)
            of = catalogue.get("vehicle", data["vehicle"]).content if kind == "procedure" else None
            vehicle = of.model_dump(mode="json") if of is not None else None
            yield entry.id, growing(kind, data, vehicle)
            for name, without in lacking(data) if nth == 0 else ():
                yield f"{entry.id} without {name}", growing(kind, without, vehicle)
    for limits in ((-4.0, 0.0, 4.0), (1195.0, 1200.0, 1215.0), (0.0, 2.0, 2.0)):
        yield "limits", limits_rule(*limits)


def lacking(data: dict[str, Any]) -> Iterator[tuple[str, dict[str, Any]]]:
    """What was typed without one of its parts, and without a figure of a part."""
    for name, value in data.items():
        yield name, {k: v for k, v in data.items() if k != name}
        if isinstance(value, dict):
            yield from ((f"{name}.{part}", {**data, name: less}) for part, less in lacking(value))


def sensors(catalogue: Catalogue, _: Path) -> Iterator[tuple[str, str]]:
    """What is turned, what is shown, and what of it is explained."""
    for entry in catalogue.all("procedure"):
        given = entry.content.adjusting
        if given is None:
            continue
        ids = [screw.id for screw in given.screws]
        for turns in (None, {}, {id: 1.25 - k for k, id in enumerate(ids)}, {id: k - 0.5 for k, id in enumerate(ids)}):
            yield entry.id, screws_view(given, turns)
            yield entry.id, screws_view(given.model_copy(update={"seen_from": "behind"}), turns)
    for left, up, yaw, pitch in ((12.0, -7.0, 0.4, 0.2), (-80.0, 31.0, -1.1, -0.6), (0.5, 0.5, 0.0, 0.0)):
        spot = Spot(1, 1500.0, left, up, yaw, pitch, {}, {})  # type: ignore[arg-type]
        yield "spot", spot_view(spot, Limits(minus=0.8, plus=0.6), Limits(minus=0.5, plus=0.7))
    for tilts, responses in (((-2.0, 0.0, 2.0), (31.0, 40.0, 35.0)), ((-1.0, 0.5, 3.0), (20.0, 19.0, 12.0))):
        yield "tilts", tilts_view(Tilted(tilts, responses, (tilt(TiltInput(tilts=tilts, responses=responses)),)))
        yield "no peak", tilts_view(Tilted(tilts, responses[::-1]))
    lines = [line for entry in catalogue.all("procedure") for line in entry.content.lines][:3]
    for where in SIGNS:
        yield "lines", lens_lines_view(lines, {line.id: where for line in lines[:2]})
    shown = [
        figure(0.42, 0.1, 0.5, "aim_yaw"),
        figure(-0.2, 0.05, 0.4, "aim_pitch"),
        figure(0.0, 0.02, 0.3, "aim_roll"),
    ]
    parts = ((0.3, 0.12, 0.2), (-0.5, 0.3, 0.7), (0.01, -0.01, 0.05))
    yield "why", why_view([Of(f, "aim_yaw", a, b, u, False) for f, (a, b, u) in zip(shown, parts, strict=True)])
    yield "why", why_view([Of(figure(0.01, 0.01, 0.5, "aim_yaw"), "aim_yaw", 0.0, 0.01, 0.02, False)])
    for entry in catalogue.all("vehicle"):
        done = WorkTold(done=[Done(act="replaced", part="windscreen")])
        told = scoped(entry.content, done) if entry.content.sensors else []
        for chosen in (set[str](), {*entry.content.areas}):
            yield entry.id, car_parts_view(entry.content, told, chosen, lambda id: f"/?part={id}")


def figures(_: Catalogue, __: Path) -> Iterator[tuple[str, str]]:
    """Figures on their scales, instruments over the years, what is left to go, small pictures."""
    for value in (-6.0, -3.9, 0.0, 0.5, 2.2, 4.0, 9.0):
        for u in (0.0, 0.4, 2.6):
            yield "rule", rule(figure(value, u, 4.0, "side"))
            yield "rule", rule(figure(value, u, 4.0, None))
            yield "rule", rule(dataclasses.replace(figure(value, u, 4.0, None), upper=None))
            yield "rule", rule(dataclasses.replace(figure(value, u, 4.0, None), lower=None))
    for off in (-0.3, 0.05, 0.4):
        history = [
            Shown(f"P-{k}", f"car {k % 5}", "Norte", "galga-2", "Teo", (k + 1) * 9 * DAY_MS, 0.1 * (-1) ** k + 0.01 * k)
            for k in range(14)
        ]
        own = Shown("V-1", "car 3", "Norte", "galga-2", "Teo", 180 * DAY_MS, off)
        yield "residuals", residuals_view(compared("yaw", own, history, 0.5), Limits(minus=0.5, plus=0.4))
        yield "residuals", residuals_view(compared("yaw", own, history[:1], 0.5), Limits(minus=0.2, plus=0.4))
    for turn in (-1.2, -0.02, 0.0, 0.6):
        for left in (-40.0, 0.0, 2.5):
            for away in (-300.0, 0.0, 4.0):
                yield "approach", approach_view(ToGo(turn, left, away, 0.1, 1.0, 1.0), 1200.0)
    day = date(2025, 3, 3).toordinal()
    for slope in (-0.4, 0.02, 0.25):
        biases = [BiasEntry(day=day + 180 * k, bias=0.3 + slope * k, u=0.2) for k in range(4)]
        for limit in (2.0, 50.0):
            ahead = drift(DriftInput(history=biases, limit=limit, horizon_days=1500))
            states = ["holds", "holds", "undecided", "out"]
            name = said("as_told", text="a course")
            yield "course", course_view(biases, states, limit, "mm", ahead, name)
            yield "course", course_view(biases[:1], states[:1], limit, "mm", None, name)
    for check in CHECKS.values():
        yield from ((check.id, self_check_view(check.id, step.field)) for step in check.steps)
    yield from (("variant", variant_picture(picture)) for picture in get_args(Picture))


def roads(_: Catalogue, __: Path) -> Iterator[tuple[str, str]]:
    """Drives, with stretches that do not count."""
    t = np.arange(0.0, 900.0, 2.0)
    speed = np.where((t > 200) & (t < 300), 25.0, np.where(t > 600, 120.0, 60.0)) + 4 * np.sin(t / 40)
    heading = np.radians(40 + 70 * np.sin(t / 150))
    step = speed / 3.6 * np.gradient(t)
    north, east = np.cumsum(step * np.cos(heading)), np.cumsum(step * np.sin(heading))
    lat, lon = 41.0 + north / 111_000, -2.0 + east / 84_000
    hole = (t < 400) | (t > 430)
    for kept in (t >= 0, hole, t < 320):
        trace = Trace(t[kept], lat[kept], lon[kept], speed[kept], np.degrees(heading)[kept])
        found = course([trace])
        for display in get_args(Display):
            spec = DriveSpec(distance_km=5, speed_min=40, speed_max=90, display=display)
            judged = driven(found, [], spec).judged
            assert judged is not None
            yield "speed", speed_view(found, judged, spec)
            yield "way", way_view(found, judged, spec.gap_max)


def figure(value: float, u: float, limit: float = 4.0, way: str | None = "side") -> Figure:
    """A figure within limits alike on both sides."""
    judged = verdict(VerdictInput(value=value, u=u, lower=-limit, upper=limit, rule="guarded"))
    return Figure("f", Name("Off centre"), value, u, -limit, limit, "mm" if way in ("side", None) else "°", way, judged)


SCENES: dict[str, Scene] = {
    "visits": visits,
    "motions": motions,
    **{sheet.lower(): set_up(sheet) for sheet in SET_UP},
    "bays": bays,
    "entries": entries,
    "sensors": sensors,
    "figures": figures,
    "roads": roads,
}


def file_of(scene: str) -> Path:
    """Where it is kept how a scene was drawn."""
    return HERE / f"{scene}.txt"


def told(drawn: Iterable[tuple[str, str]]) -> list[str]:
    """An element a line, each the first time only."""
    known, lines = set[str](), list[str]()
    for name, svg in drawn:
        new = [line for line in re.sub(r"(?<!^)<(?!/)", "\n<", svg).split("\n") if line and line not in known]
        known.update(new)
        lines += [f"== {name}", *new] if new else []
    return lines


def write() -> None:
    """Keep how everything is drawn now."""
    catalogue = load([PRACTICE])
    HERE.mkdir(exist_ok=True)
    for scene, drawn in SCENES.items():
        with TemporaryDirectory() as folder:
            lines = told(drawn(catalogue, Path(folder)))
        file_of(scene).write_text("\n".join(lines) + "\n", encoding="utf-8")
        print(f"{file_of(scene).name}: {len(lines)} lines", file=sys.stderr)


if __name__ == "__main__":
    write()
