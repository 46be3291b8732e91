"""The instruments of Valdehierro: most of them good, one overdue, one drifting to its limit, one found out."""

from escuadra.commands import Garage
from escuadra.commands.instrument_life import Give, KeepCheck
from escuadra.core.instruments.guided import CHECKS

DAY_MS = 86_400_000
History = list[tuple[str, str, int, dict[str, list[float]]]]
"""Instrument, check, days ago, readings by step."""


def _plumb(top: float) -> dict[str, list[float]]:
    return {"height": [3000], "bottom": [0.0, 0.0, 0.0], "top": [top, top + 0.1, top - 0.1]}


def _length(reference: float, off: float) -> dict[str, list[float]]:
    return {"length": [reference], "readings": [reference + off, reference + off + 0.1, reference + off - 0.1]}


def _level(first: float, second: float) -> dict[str, list[float]]:
    return {"first": [first], "second": [second]}


HISTORY: History = [
    ("laser-2", "plumb", 64, _plumb(0.1)),
    ("laser-2", "plumb", 37, _plumb(0.2)),
    ("laser-2", "plumb", 11, _plumb(0.2)),
    ("level-1", "end_for_end", 120, _level(0.03, -0.02)),
    ("level-1", "end_for_end", 31, _level(0.03, -0.01)),
    ("level-5", "end_for_end", 131, _level(0.1, -0.05)),
    ("tape-4", "reference", 40, _length(2846.7, 0.1)),
    ("meter-1", "reference", 560, _length(2846.7, 0.35)),
    ("meter-1", "reference", 375, _length(2846.7, 0.6)),
    ("meter-1", "reference", 190, _length(2846.7, 0.8)),
    ("meter-1", "reference", 18, _length(2846.7, 1.05)),
    (
        "level-9",
        "two_peg",
        26,
        {
            "mid_a": [1402.0],
            "mid_b": [1409.5],
            "off_to_a": [1040.0],
            "off_to_b": [11_060.0],
            "off_a": [1371.5],
            "off_b": [1380.0],
        },
    ),
    ("frame-2", "zero_mark", 20, {"first": [1113.2], "second": [1112.8]}),
    ("clamps-2", "runout", 15, {"first": [0.5], "second": [-0.3]}),
    ("gauge-6", "known_pressure", 70, {"length": [240.0], "readings": [241.0, 242.0, 241.5]}),
    ("volt-3", "known_voltage", 70, {"length": [12.6], "readings": [12.61, 12.6, 12.61]}),
    (
        "crossed-3",
        "square_corner",
        6,
        {"a": [2870.0], "b": [3790.0], "diagonal": [4762.2]},
    ),
]
"""As it is read in the workshop; the reference length has its certificate."""


def write(garage: Garage, start: int) -> None:
    """Check the instruments in the past, hand one out and say where they hang."""
    now = garage.clock
    try:
        for tool, check, ago, readings in sorted(HISTORY, key=lambda entry: -entry[2]):
            garage.clock = lambda at=start - ago * DAY_MS: at  # type: ignore[misc]
            typed = {
                step.field: [f"{v:g}" for v in readings[step.field]]
                for step in CHECKS[check].steps
                if step.field in readings
            }
            key = f"demo-{tool}-{check}-{ago}"
            garage.do(KeepCheck(tool, check, typed, readings), "ines", key)
        garage.clock = lambda: start - 5 * 3_600_000
        garage.do(Give("laser-2", "teo"), "teo", "demo-laser-2-teo")
        garage.do(Give("rig-1", "nuno"), "nuno", "demo-rig-1-nuno")
    finally:
        garage.clock = now
