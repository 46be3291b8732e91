"""Simulated visits: a forward model in six degrees of freedom, by vectors alone, and the solution of state beside it.

What is drawn: hubs, floor rises, the instruments' own errors, gravity, the target's place on the frame, leans and
slides. What is read: tapes, floor laser, levels, heights, hubs square to the beam; each with its own noise. Told is
then compared with true: scatter against u, smallest errors against how often they are found; and time against scipy.
"""

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.optimize import least_squares
from statistics_of_networks import ratio_of

from escuadra.core.geodesy.state import StateInput, solve
from escuadra.core.geodesy.state.solution import Work, converged

CRITICAL = 3.2905
HUBS = {"LF": (3187, 821, 329), "RF": (3187, -821, 329), "LR": (0, 829, 331), "RR": (0, -829, 328)}
ON_FRAME = {"L": (0, 1195, 0), "R": (0, -1195, 0), "target": (-31.5, 0, 727)}
WANTED: list[dict[str, Any]] = [
    {"id": "square", "type": "yaw", "to": "thrust"},
    {"id": "distance", "type": "ahead", "from": ["LF", "RF"], "line": "thrust"},
    {"id": "centred", "type": "beside", "through": ["LR", "RR"], "line": "thrust"},
    {"id": "height", "type": "height"},
    {"id": "side_to_side", "type": "roll"},
    {"id": "lean", "type": "pitch"},
    {"id": "to_hubs", "type": "yaw", "to": "marks", "marks": [["LR", "RR"], ["LF", "RF"]]},
    {"id": "thrust_ahead", "type": "at", "line": "thrust", "through": ["LR", "RR"], "x": 5860},
]
LIMITS = {
    "square": [-0.25, 0.25],
    "distance": [2637.5, 2647.5],
    "centred": [-4, 4],
    "height": [1413, 1421],
    "side_to_side": [-0.3, 0.3],
    "lean": [-0.3, 0.3],
}
Point = np.ndarray


def turned(yaw: float, pitch: float, roll: float) -> np.ndarray:
    """Rz(yaw)·Ry(pitch)·Rx(roll), degrees."""
    (cy, cp, cr), (sy, sp, sr) = ([f(math.radians(a)) for a in (yaw, pitch, roll)] for f in (math.cos, math.sin))
    z = np.array([[cy, -sy, 0], [sy, cy, 0], [0, 0, 1]])
    y = np.array([[cp, 0, sp], [0, 1, 0], [-sp, 0, cp]])
    x = np.array([[1, 0, 0], [0, cr, -sr], [0, sr, cr]])
    return np.asarray(z @ y @ x)


class Visit:
    """One visit drawn at random: the truth, the readings, and what the wanted quantities truly are."""

    def __init__(self, seed: int, epochs: int = 2, quiet: bool = False) -> None:
        """``quiet``: everything is what it is taken for, and nothing has noise."""
        self.chance = np.random.default_rng(seed)
        self.quiet = quiet
        self.rows: list[dict[str, Any]] = []
        self.tape = self.drawn(0.35), self.drawn(9e-5)
        self.laser = self.drawn(0.4)
        self.target = np.array(ON_FRAME["target"]) + [self.drawn(u) for u in (0.8, 0.8, 0.9)]
        self.gravity = self.drawn(0.12), self.drawn(0.12)
        self.rise, self.own = self.drawn(2.0), {n: self.drawn(0.6) for n in ("L", "R", "target")}
        self.thrust = self.drawn(0.1)
        self.hubs: dict[str, Point] = {}
        for hub, place in HUBS.items():
            self.hubs[hub] = np.array([p + self.drawn(u) for p, u in zip(place, (0.5, 0.5, 0.9), strict=True)])
            for axis, p, u in zip("xyz", place, (0.5, 0.5, 0.9), strict=True):
                self.row(f"{hub}.{axis}", axis, float(p), u, noise=False, point=hub)
        self.marks = {n: np.array([x, self.drawn(0.8), 0.0]) for n, x in (("rear", -1013.5), ("front", 4096.5))}
        for name in self.marks:
            self.row(f"{name}.y", "y", 0.0, 0.8, noise=False, point=f"mark_{name}")
        self.row("thrust", "thrust", self.thrust, 0.011)
        self.poses: list[tuple[Point, tuple[float, float, float]]] = []
        for k in range(epochs):
            self.epoch(k)

    def drawn(self, u: float) -> float:
        return 0.0 if self.quiet else float(self.chance.normal(0, u))

    def row(self, id: str, type: str, true: float, u: float, noise: bool = True, **more: Any) -> None:
        value = true + (self.drawn(u) if noise else 0.0)
        self.rows.append({"id": id, "type": type, "value": value, "u": u, **more})

    def at(self, k: int, place: Point) -> Point:
        origin, angles = self.poses[k]
        return np.asarray(origin + turned(*angles) @ place)

    def epoch(self, k: int) -> None:
        """A place: the first anywhere near, each further one a slide along the beam that changed a little besides."""
        if k == 0:
            yaw, pitch, roll = self.drawn(0.4), self.drawn(0.5), self.drawn(0.25)
            origin = np.array([5860 + self.drawn(8), self.drawn(12), 690 + self.drawn(3)])
        else:
            before, (y0, p0, r0) = self.poses[-1]
            dy, dr, dp, normal, up = (self.drawn(u) for u in (0.012, 0.02, 0.02, 0.4, 0.5))
            yaw, pitch, roll = y0 + dy, p0 + dp, r0 + dr
            c, s = math.cos(math.radians(y0)), math.sin(math.radians(y0))
            way = self.drawn(15.0)
            origin = before + np.array([normal * c - way * s, normal * s + way * c, up])
        self.poses.append((origin, (yaw, pitch, roll)))
        name = f"e{k}"
        ends = {n: self.at(k, np.array(ON_FRAME[n], float)) for n in ("L", "R")} | {"target": self.at(k, self.target)}
        for hub in HUBS:
            for n in ("L", "R"):
                true = float(np.linalg.norm(ends[n] - self.hubs[hub])) * (1 + self.tape[1]) + self.tape[0]
                place: dict[str, Any] = {"from": hub, "to": f"{name}:{n}", "instrument": "tape"}
                self.row(f"{name}.{hub}-{n}", "distance", true, 0.45, **place)
        rotation = turned(yaw, pitch, roll)
        gr, gp = self.gravity
        up_way = turned(0, gp, gr) @ [0, 0, 1]
        for kind, axis, sign in (("roll", rotation[:, 1], 1), ("pitch", rotation[:, 0], -1)):
            self.row(f"{name}.{kind}", kind, sign * math.degrees(math.asin(axis @ up_way)), 0.03, body=name)
        for n, end in ends.items():
            true = end[2] - self.rise - self.own[n]
            self.row(f"{name}.{n}.h", "height", true, 0.6, point=f"{name}:{n}", floor=f"under_{n}")
        a, b = self.marks["rear"], self.marks["front"]
        plane = np.cross(b - a, up_way)
        true = float((a - origin) @ plane / (rotation[:, 1] @ plane)) + self.laser
        self.row(f"{name}.laser", "crossing", true, 0.5, body=name, instrument="laser", **self.between)
        e = np.array([math.cos(math.radians(yaw)), math.sin(math.radians(yaw)), 0])
        for hub in ("LF", "RF"):
            self.row(
                f"{name}.{hub}.square", "perpendicular", float((origin - self.hubs[hub]) @ e), 0.7, point=hub, body=name
            )
        if k:
            # What a slide left as it was: its value is 0, what truly changed is the error.
            for what, u in (("yaw", 0.012), ("roll", 0.02), ("pitch", 0.02), ("normal", 0.4), ("up", 0.5)):
                self.row(
                    f"{name}.same.{what}", "same", 0.0, u, noise=False, what=what, to=name, **{"from": f"e{k - 1}"}
                )

    between: dict[str, Any] = {"from": "mark_rear", "to": "mark_front"}

    def given(self) -> dict[str, Any]:
        """As input of ``state``; the first guesses are those of a sheet that knows nothing yet."""
        last = f"e{len(self.poses) - 1}"
        points: dict[str, dict[str, Any]] = {hub: dict(zip("xyz", place, strict=True)) for hub, place in HUBS.items()}
        for name, mark in self.marks.items():
            points[f"mark_{name}"] = {"x": float(mark[0]), "y": 0.0, "z": 0.0, "fixed": ["x", "z"]}
        pose = {"x": 5860, "y": 0, "z": 690, "yaw_deg": 0, "roll_deg": 0, "pitch_deg": 0, "shape": "frame"}
        named = {"height": "point", "distance": "point", "centred": "point"}
        place = {"point": f"{last}:target", "body": last}
        key = {w["id"]: named.get(str(w["id"]), "body") for w in WANTED if w["type"] != "at"}
        return {
            "points": points,
            "bodies": {f"e{k}": dict(pose) for k in range(len(self.poses))},
            "thrust": {"angle_deg": 0},
            "shapes": {"frame": {"points": ON_FRAME, "u": {"target": [0.8, 0.8, 0.9]}}},
            "instruments": {"tape": {"u_offset": 0.35, "u_scale": 9e-5}, "laser": {"u_offset": 0.4}},
            "floors": {"bay": {"height": 0, "u": 2.0}}
            | {f"under_{n}": {"height": 0, "u": 0.6, "on": "bay"} for n in self.own},
            "gravity": {"roll_deg": 0, "pitch_deg": 0, "u_deg": 0.12},
            "observations": self.rows,
            "wanted": [{**w, key[w["id"]]: place[key[w["id"]]]} if w["id"] in key else w for w in WANTED],
            "limits": LIMITS,
        }

    def truth(self) -> dict[str, float]:
        """What the wanted quantities truly are, in the last epoch."""
        k = len(self.poses) - 1
        (_, (yaw, _, _)), target = self.poses[k], self.at(k, self.target)
        along = np.array([math.cos(math.radians(self.thrust)), math.sin(math.radians(self.thrust)), 0])
        left = np.array([-along[1], along[0], 0])
        rotation, up = turned(*self.poses[k][1]), turned(0, self.gravity[1], self.gravity[0]) @ [0, 0, 1]
        rear, front = (self.hubs["LR"] + self.hubs["RR"]) / 2, (self.hubs["LF"] + self.hubs["RF"]) / 2
        return {
            "square": yaw - self.thrust,
            "distance": float((target - front) @ along),
            "centred": float((target - rear) @ left),
            "height": float(target[2]),
            "side_to_side": math.degrees(math.asin(rotation[:, 1] @ up)),
            "lean": -math.degrees(math.asin(rotation[:, 0] @ up)),
            "to_hubs": yaw - math.degrees(math.atan2((front - rear)[1], (front - rear)[0])),
            "thrust_ahead": float(rear[1] + (5860 - rear[0]) * along[1] / along[0]),
        }


def scatter(visits: int = 2000) -> dict[str, float]:
    """For each wanted quantity the root mean square of (told − true) ÷ told u, over visits of three epochs."""
    off: dict[str, list[float]] = {str(w["id"]): [] for w in WANTED}
    for seed in range(visits):
        visit = Visit(seed, epochs=3)
        true = visit.truth()
        for told in solve(StateInput.read(visit.given())).wanted:
            assert told is not None
            off[told.id].append((told.value - true[told.id]) / told.u)
    return {name: float(np.sqrt(np.mean(np.square(values)))) for name, values in off.items()}


ACTS: dict[str, dict[str, float]] = {
    "one tape misread": {"e1.LF-L": 1.0},
    "a hub clamp that sits crooked": {"e1.LF-L": 1.0, "e1.LF-R": 1.0},
    "the laser's zero taken from the wrong mark": {"e0.laser": 1.0, "e1.laser": 1.0},
    "a level turned end for end": {"e1.roll": 1.0},
    "a height read to the wrong edge": {"e1.target.h": 1.0},
}


def planted(visits: int = 400) -> dict[str, float]:
    """For each act the share of visits in which its smallest error, planted, has |w| beyond 3.2905."""
    acts = [{"id": name, "effect": effect, "cap": 1000.0} for name, effect in ACTS.items()]
    found = {}
    for name, effect in ACTS.items():
        seen = 0
        for seed in range(visits):
            given = {**Visit(100_000 + seed).given(), "hypotheses": acts}
            (before,) = (h for h in solve(StateInput.read(given)).hypotheses if h.id == name)
            assert before.smallest is not None
            sign = 1 if seed % 2 else -1
            for row in given["observations"]:
                row["value"] += sign * effect.get(row["id"], 0.0) * before.smallest
            (after,) = (h for h in solve(StateInput.read(given)).hypotheses if h.id == name)
            assert after.w is not None
            seen += abs(after.w) > CRITICAL
        found[name] = seen / visits
    return found


def by_scipy(given: StateInput, slopes: bool = False) -> Callable[[], np.ndarray]:
    """The same residuals through ``least_squares(method="lm")``: its own differences, or our derivatives."""
    work = Work(given)
    start = work.equations.unknowns.start

    def residuals(x: np.ndarray) -> np.ndarray:
        figures = start.copy()
        figures[work.free] = x
        return work.at(figures)[0]

    def jacobian(x: np.ndarray) -> np.ndarray:
        figures = start.copy()
        figures[work.free] = x
        return work.at(figures)[1]()

    more: dict[str, Any] = {"jac": jacobian} if slopes else {}
    scale = np.where(np.abs(start[work.free]) > 10, 1.0, 1e-3)
    return lambda: np.asarray(
        least_squares(residuals, start[work.free], method="lm", x_scale=scale, xtol=1e-10, ftol=1e-10, **more).x
    )


def state_ratio(slopes: bool = False, pairs: int = 15) -> float:
    """A visit of 6 epochs and more than 120 readings, all that it tells ÷ scipy on the same residuals (values only)."""
    given = StateInput.read(Visit(3, epochs=6).given())
    assert len(given.observations) >= 120
    other, work = by_scipy(given, slopes), Work(given)
    here = converged(work)
    moved = work.equations.unknowns.start.copy()
    moved[work.free] = other()
    assert np.allclose(work.at(moved)[0], here.misfit, atol=1e-4)
    return ratio_of(lambda: solve(given), other, pairs)


def epochs_ratio(many: int = 30, few: int = 6, pairs: int = 15) -> float:
    """A visit of many epochs ÷ one of few."""
    long, short = (StateInput.read(Visit(3, epochs=n).given()) for n in (many, few))
    return ratio_of(lambda: solve(long), lambda: solve(short), pairs)
