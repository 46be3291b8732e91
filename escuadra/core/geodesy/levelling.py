"""Heights from several set-ups of a level, joined through common points, and which staff was misread.

Source: adjustment by observation equations; staff = height of the set-up minus height of the point. A reading is
suspected by its w-test (Baarda), as in ``network``. Millimetres.
"""

import math
from typing import Self

import numpy as np
from pydantic import Field, model_validator

from escuadra.core.base.calculation import calculation
from escuadra.core.base.errors import BadInput
from escuadra.core.base.model import Frozen, Number, Positive
from escuadra.core.base.said import said
from escuadra.core.measure.symmetry import CRITICAL_W

MOST_READINGS = 2000


class StaffReading(Frozen):
    """One staff reading; a larger one is a lower point."""

    setup: str
    point: str
    staff: Number


class LevellingInput(Frozen):
    """All staff readings, their common u and the point whose height is 0."""

    readings: list[StaffReading]
    u: Positive = Field(description="of each reading, mm")
    datum: str

    @model_validator(mode="after")
    def _joined(self) -> Self:
        if not 0 < len(self.readings) <= MOST_READINGS:
            raise BadInput("readings", len(self.readings), said("wants.1_staff_readings", most_readings=MOST_READINGS))
        if all(reading.point != self.datum for reading in self.readings):
            raise BadInput("datum", self.datum, said("wants.point_read"))
        reached, waiting = {("point", self.datum)}, [("point", self.datum)]
        neighbours: dict[tuple[str, str], list[tuple[str, str]]] = {}
        for reading in self.readings:
            a, b = ("setup", reading.setup), ("point", reading.point)
            neighbours.setdefault(a, []).append(b)
            neighbours.setdefault(b, []).append(a)
        while waiting:
            for other in neighbours[waiting.pop()]:
                if other not in reached:
                    reached.add(other)
                    waiting.append(other)
        loose = next((node for node in neighbours if node not in reached), None)
        if loose is not None:
            raise BadInput(
                "readings",
                said("levelling.apart_rest", loose=loose[0], loose2=loose[1]),
                said("wants.set_ups_joined_common_points"),
            )
        return self


class LevelledHeight(Frozen):
    """A height above the datum and its standard uncertainty."""

    z: float
    u: float


class LevellingResult(Frozen):
    """Heights, and how well the readings agree."""

    heights: dict[str, LevelledHeight]
    residuals: list[float] = Field(description="computed minus read, in the order of the readings, mm")
    s0: float | None = Field(description="scatter in units of u; null where nothing is left over")
    w: list[float | None] = Field(description="of every reading; null where no other reading checks it")
    suspects: list[int] = Field(description="places of the readings that share the blame; empty where all agree")


@calculation("levelling")
def levelling(given: LevellingInput) -> LevellingResult:
    """Heights of all points but the datum, and the residual of every reading."""
    setups = list(dict.fromkeys(reading.setup for reading in given.readings))
    points = [p for p in dict.fromkeys(reading.point for reading in given.readings) if p != given.datum]
    column = {("setup", s): k for k, s in enumerate(setups)}
    column |= {("point", p): len(setups) + k for k, p in enumerate(points)}
    rows = np.zeros((len(given.readings), len(column)))
    for i, reading in enumerate(given.readings):
        rows[i, column["setup", reading.setup]] = 1
        if reading.point != given.datum:
            rows[i, column["point", reading.point]] = -1
    staff = np.array([reading.staff for reading in given.readings])
    solution = np.linalg.lstsq(rows, staff, rcond=None)[0]
    covariance = given.u**2 * np.linalg.inv(rows.T @ rows)
    residuals = rows @ solution - staff
    dof = len(given.readings) - len(column)
    redundancy = 1 - np.einsum("ij,jk,ik->i", rows, covariance, rows, optimize=True) / given.u**2
    w = [None if r < 1e-9 else float(v / (given.u * math.sqrt(r))) for v, r in zip(residuals, redundancy, strict=True)]
    worst = max((abs(v) for v in w if v is not None), default=0.0)
    shared = [k for k, v in enumerate(w) if v is not None and abs(v) >= 0.95 * worst] if worst > CRITICAL_W else []
    at = {p: column["point", p] for p in points}
    return LevellingResult(
        heights={p: LevelledHeight(z=float(solution[k]), u=math.sqrt(float(covariance[k, k]))) for p, k in at.items()},
        residuals=[float(v) for v in residuals],
        s0=math.sqrt(float(residuals @ residuals) / given.u**2 / dof) if dof > 0 else None,
        w=w,
        suspects=shared,
    )
