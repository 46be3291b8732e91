"""Monte Carlo over simulated set-ups: efficiency, blunders found, false alarms; and the solver beside scipy's."""

import copy
import math
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.optimize import least_squares

from escuadra.core.geodesy.adjustment import adjust, adjust_batch, layout, reliability
from escuadra.core.geodesy.equations import observe
from escuadra.core.geodesy.network import network as solve_network
from escuadra.core.geodesy.observations import NetworkInput
from escuadra.core.geodesy.state import StateInput, solve
from escuadra.core.geodesy.state.factors import factored
from escuadra.core.geodesy.state.solution import Work

SETUPS = 20_000
CRITICAL = 3.2905
HUBS = {"LF": (2687.5, 781.0), "RF": (2687.5, -781.0), "LR": (0.0, 774.5), "RR": (0.0, -774.5)}
TRUE = (4171.0, 12.5, 1.7)


def network(tapes: int = 8) -> dict[str, Any]:
    """Hubs known to 1 mm, tapes to both beam ends by one instrument, a centring offset: exact readings."""
    turn, (cx, cy, _) = math.radians(TRUE[2]), TRUE
    ends = {n: (cx - s * 1113 * math.sin(turn), cy + s * 1113 * math.cos(turn)) for n, s in (("L", 1), ("R", -1))}
    rows: list[dict[str, Any]] = []
    for hub, (x, y) in HUBS.items():
        rows += [
            {"id": f"{hub}.{axis}", "type": axis, "point": hub, "value": v, "u": 1.0}
            for axis, v in (("x", x), ("y", y))
        ]
    pairs = [(hub, end) for hub in HUBS for end in ends][:tapes]
    for hub, end in pairs:
        value = math.dist(HUBS[hub], ends[end])
        name = f"{hub}-{end}"
        rows.append(
            {"id": name, "type": "distance", "from": hub, "to": end, "value": value, "u": 0.8, "instrument": "T"}
        )
    return {
        "points": {hub: {"x": x, "y": y, "fixed": False} for hub, (x, y) in HUBS.items()},
        "frame": {"x": 4160.0, "y": 0.0, "yaw_deg": 0.0, "points": {"L": [0, 1113], "R": [0, -1113]}},
        "instruments": {"T": {"u_offset": 0.5}},
        "observations": rows,
    }


def simulated(seed: int, count: int = SETUPS) -> tuple[NetworkInput, np.ndarray, np.ndarray, np.ndarray]:
    """The network, exact readings, noise (shared offset included) and the true unknowns' order of magnitude."""
    given = NetworkInput.read(network())
    noise = np.random.default_rng(seed)
    exact = np.array([o.value for o in given.observations], dtype=float)
    own = noise.normal(size=(count, len(exact))) * np.array([o.u for o in given.observations])
    shared = noise.normal(size=(count, 1)) * 0.5
    own += shared * np.array([o.type == "distance" for o in given.observations])
    return given, exact, own, shared[:, 0]


def efficiency() -> tuple[float, float]:
    """Smallest and largest scatter ÷ Cramér–Rao bound over all unknowns."""
    given, exact, noise, shared = simulated(1)
    batch = adjust_batch(given, exact + noise)
    truth = adjust(given)
    errors = batch.values - truth.unknowns.values
    offset = batch.names.index(("instrument T", "offset"))
    errors[:, offset] -= shared
    ratio = np.sqrt(np.mean(errors**2, axis=0)) / np.sqrt(np.diag(truth.covariance))
    return float(ratio.min()), float(ratio.max())


def tests(values: np.ndarray, given: NetworkInput) -> np.ndarray:
    """|w| of every observation (pseudo-observations too) of every set-up."""
    r, _, _ = reliability(adjust(given))
    return np.abs(adjust_batch(given, values).misfit) / np.sqrt(r)


def blunders() -> tuple[float, float]:
    """Share of planted blunders of exactly the detectable size with |w| beyond the limit; share named rightly alone."""
    given, exact, noise, _ = simulated(2)
    solution = adjust(given)
    _, _, mdb = reliability(solution)
    chosen = np.random.default_rng(5).integers(0, len(exact), SETUPS)
    signs = np.where(np.arange(SETUPS) % 2, 1.0, -1.0)
    rows = exact + noise
    rows[np.arange(SETUPS), chosen] += signs * np.array([mdb[k] for k in chosen])
    w = tests(rows, given)
    own = w[np.arange(SETUPS), chosen]
    found = own > CRITICAL
    alone = found & (own >= w.max(axis=1)) & ((w >= 0.95 * w.max(axis=1)[:, None]).sum(axis=1) == 1)
    return float(found.mean()), float(alone.mean())


def false_alarms() -> float:
    """Share of w-tests beyond the limit where nothing is wrong."""
    given, exact, noise, _ = simulated(3)
    return float((tests(exact + noise, given) > CRITICAL).mean())


def scipy_call(given: NetworkInput) -> Callable[[np.ndarray], np.ndarray]:
    """The same problem for ``scipy.optimize.least_squares`` with the same Jacobian."""
    start = adjust(given).unknowns

    def residuals(x: np.ndarray, values: np.ndarray) -> np.ndarray:
        here = copy.copy(start)
        here.values = x
        own = [(observe(here, o)[0] - v) / o.u for o, v in zip(given.observations, values, strict=True)]
        return np.array([*own, *(x[here.column[f"instrument {t}", p]] / u for t, p, u in here.pseudo)])

    def jacobian(x: np.ndarray, _values: np.ndarray) -> np.ndarray:
        here = copy.copy(start)
        here.values = x
        rows = np.zeros((len(given.observations) + len(here.pseudo), len(x)))
        for i, o in enumerate(given.observations):
            for k, slope in observe(here, o)[1].items():
                rows[i, k] = slope / o.u
        for i, (tool, part, u) in enumerate(here.pseudo, len(given.observations)):
            rows[i, here.column[f"instrument {tool}", part]] = 1 / u
        return rows

    first = np.array([v for x, y in HUBS.values() for v in (x, y)] + [4160.0, 0.0, 0.0, 0.0])

    def solve(values: np.ndarray) -> np.ndarray:
        found = least_squares(residuals, first, jac=jacobian, args=(values,), method="lm", xtol=1e-10, ftol=1e-10)
        return np.asarray(found.x)

    return solve


def solve_ratio(pairs: int = 60) -> float:
    """A 12-reading network ÷ one scipy call on the same problem with the same Jacobian: median of pairs."""
    given = NetworkInput.read(network(tapes=4))
    values = np.array([o.value for o in given.observations], dtype=float)
    other = scipy_call(given)
    assert np.allclose(adjust(given).unknowns.values, other(values), atol=1e-5)
    return ratio_of(lambda: adjust(given), lambda: other(values), pairs)


def batch_ratio() -> float:
    """1,000 set-ups one by one through scipy ÷ the same at once."""
    given, exact, noise, _ = simulated(4, 1000)
    rows = exact + noise
    other = scipy_call(given)
    start = time.perf_counter()
    batch = adjust_batch(given, rows)
    middle = time.perf_counter()
    singly = np.array([other(row) for row in rows])
    end = time.perf_counter()
    assert np.allclose(batch.values, singly, atol=1e-4)
    return (end - middle) / (middle - start)


def in_space(plane: dict[str, Any]) -> StateInput:
    """The network above as a state: everything at height 0, tapes level, the same wanted."""
    flat = {"z": 0.0, "roll_deg": 0.0, "pitch_deg": 0.0}
    own = {n: [*b, 0.0] for n, b in plane["frame"]["points"].items()}
    frame = {k: plane["frame"][k] for k in ("x", "y", "yaw_deg")}
    rows = [
        {**o, "type": "level_distance", "to": f"f:{o['to']}"} if o["type"] == "distance" else o
        for o in plane["observations"]
    ]
    return StateInput.read(
        {
            "points": {n: {"x": p["x"], "y": p["y"], "z": 0, "fixed": ["z"]} for n, p in plane["points"].items()},
            "bodies": {"f": {**frame, **flat, "fixed": list(flat), "points": own}},
            "instruments": plane["instruments"],
            "observations": rows,
            "wanted": [{"id": "yaw", "type": "yaw", "body": "f", "to": "axis"}],
        }
    )


def ratio_of(one: Callable[[], object], other: Callable[[], object], pairs: int = 40) -> float:
    """The median over pairs of one's time ÷ the other's."""
    ratios = []
    for _ in range(pairs):
        start = time.perf_counter()
        one()
        middle = time.perf_counter()
        other()
        ratios.append((middle - start) / (time.perf_counter() - middle))
    return float(np.median(ratios))


def state_network_ratio() -> float:
    """A 16-reading network solved as a state ÷ by its own engine."""
    plane, space = NetworkInput.read(network()), in_space(network())
    (told,) = solve(space).wanted
    frame = solve_network(plane).frame
    assert told is not None
    assert frame is not None
    assert np.allclose((told.value, told.u), (frame.yaw_deg, frame.u_yaw_deg))
    return ratio_of(lambda: solve(space), lambda: solve_network(plane))


def state_design_ratio() -> float:
    """The same network planned: matrix and factors at the first guesses of state ÷ those of ``design``."""
    plane, space = NetworkInput.read(network()), in_space(network())

    def planned() -> object:
        work = Work(space)
        return factored(work.at(work.equations.unknowns.start)[1]())

    return ratio_of(planned, lambda: layout(plane))
