"""``make bench``: each figure with its name and limit, as ratios within one run; writes build/bench.json and docs.

Exits 1 where a limit does not hold. No part of ``make test``.
"""

import json
import math
import platform
import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import aiming
import application
import around
import catalogue
import coverage_of_methods as methods
import driving
import explaining
import honest
import parking
import robots
import searching
import statistics_of_networks as networks
import visits

from escuadra.core.visit.methods import METHODS

ROOT = Path(__file__).parent.parent
Limits = tuple[float, float]
AROUND = 12
"""Vehicles that bodies are set up around, each sheet."""


def figures() -> dict[str, tuple[float, Limits, str]]:
    """Every figure: value, limits and what it is."""
    found: dict[str, tuple[float, Limits, str]] = {}
    begun = time.monotonic()

    def keep(name: str, measure: Callable[[], float], limits: Limits, what: str) -> None:
        found[name] = (measure(), limits, what)
        print(f"{time.monotonic() - begun:5.0f} s {name} {found[name][0]:.4g}", flush=True)

    # What takes long and is no ratio of times is worked out on every core first; what is timed is timed alone.
    with ProcessPoolExecutor() as pool:
        bodies = {sheet: pool.submit(around.sheet_figures, sheet, AROUND) for sheet in around.SHEETS}
        misread = {sheet: pool.submit(around.blunder_figures, sheet, AROUND) for sheet in around.SHEETS}
        scatter, planted = pool.submit(visits.scatter), pool.submit(visits.planted)
        explained, aimed = pool.submit(explaining.figures), pool.submit(aiming.figures)
        counted, bent_named = pool.submit(driving.counted_error), pool.submit(methods.bent_named)
        shifted_found = pool.submit(methods.shifted_front_found)
    worst = max(networks.efficiency(), key=lambda ratio: abs(ratio - 1))
    keep("efficiency", lambda: worst, (0.98, 1.02), "scatter of a solved parameter ÷ its Cramér–Rao bound, the worst")
    hit, alone = networks.blunders()
    keep("blunders_found", lambda: hit, (0.78, 0.82), "planted blunders of the detectable size with w beyond 3.2905")
    keep("blunders_named_alone", lambda: alone, (0.0, 1.0), "of these the right one named alone (reported)")
    keep("false_alarms", networks.false_alarms, (0.0006, 0.0014), "w-tests beyond 3.2905 with nothing wrong")
    keep("solve_ratio", networks.solve_ratio, (0, 1.0), "a 12-reading network ÷ one scipy.optimize.least_squares call")
    keep("batch_ratio", networks.batch_ratio, (20, math.inf), "1,000 set-ups singly through scipy ÷ at once")
    for name, ratio in scatter.result().items():
        what = f"{name} over visits with shared errors, slides and leans: (told − true) ÷ u, root mean square"
        keep(f"state_e_over_u_{name}", lambda ratio=ratio: ratio, (0.95, 1.05), what)  # type: ignore[misc]
    acts = planted.result()
    what = f"acts that go wrong by their smallest error, of {len(acts)} kinds: share found"
    keep("state_hypotheses_found", lambda: sum(acts.values()) / len(acts), (0.78, 0.82), what)
    keep("state_ratio", visits.state_ratio, (0, 0.5), "6 epochs, 120 readings ÷ scipy's lm on the same residuals")
    what = "the same ÷ scipy's lm given our derivatives too (reported)"
    keep("state_slopes_ratio", lambda: visits.state_ratio(slopes=True), (0, math.inf), what)
    keep("state_30_ratio", visits.epochs_ratio, (0, 12), "a visit of 30 epochs ÷ one of 6")
    for sheet in around.SHEETS:
        told = bodies[sheet].result()
        what = f"{sheet}: bodies that hold where they truly are out of tolerance"
        keep(f"around_false_holds_{sheet}", lambda found=told: found["false_holds"], (0, 0.025), what)  # type: ignore[misc]
        ended = 1 - told["reached"]
        what = f"{sheet}: set-ups that never came to their run"
        keep(f"around_dead_ends_{sheet}", lambda found=ended: found, (0, 0), what)  # type: ignore[misc]
        wrong = misread[sheet].result()
        what = f"{sheet}: with one length misread, a body that holds, is truly out, and nobody was asked to read again"
        keep(f"around_silent_and_out_{sheet}", lambda found=wrong: found["silent_and_out"], (0, 0.01), what)  # type: ignore[misc]
        what = f"{sheet}: of these lengths, read again before the run (reported)"
        keep(f"around_noticed_{sheet}", lambda found=wrong: found["noticed"], (0, 1), what)  # type: ignore[misc]
        what = f"{sheet}: of those that made readings contradict each other, among the first two to be read again"
        keep(f"around_named_{sheet}", lambda found=wrong: found["named"], (0.9, 1), what)  # type: ignore[misc]
        what = f"{sheet}: and of these set-ups that never came to their run"
        keep(f"around_misread_dead_ends_{sheet}", lambda found=wrong: 1 - found["reached"], (0, 0), what)  # type: ignore[misc]
        worst = max(value for name, value in told.items() if name.startswith("e_over_u"))
        what = f"{sheet}: (told − true) ÷ u of place, facing, height and lean, the worst root mean square (reported)"
        keep(f"around_e_over_u_{sheet}", lambda found=worst: found, (0, math.inf), what)  # type: ignore[misc]
    what = "networks as the plane case of state ÷ network's own engine (reported: it stays while this is above 1)"
    keep("state_network_ratio", networks.state_network_ratio, (0, math.inf), what)
    what = "planning: state's matrix and factors ÷ design's (reported, likewise)"
    keep("state_design_ratio", networks.state_design_ratio, (0, math.inf), what)
    keep("replay_ratio", application.replay_ratio, (0, 5), "folding and deriving 2,000 events ÷ parsing their JSON")
    keep("verify_ratio", application.verify_ratio, (0, 2), "verify ÷ reading and hashing the same rows")
    what = "a tape's round trip, solved anew on 6 epochs and 120 readings, ÷ a bare page"
    keep("reading_ratio", lambda: application.reading_ratio("tape"), (0, 3), what)
    what = "a ride height's round trip in the same visit ÷ a bare page"
    keep("ride_height_ratio", lambda: application.reading_ratio("ride height"), (0, 2), what)
    for receiver, off in counted.result().items():
        what = f"kilometres that count of a trace against the truth, root mean square: {receiver}"
        keep(f"counted_error_{receiver.replace(', ', '_').replace(' ', '_')}", lambda off=off: off, (0, 0.01), what)  # type: ignore[misc]
    ratio, memory = driving.trace_figures()
    keep("trace_ratio", lambda: ratio, (0, 2), "four hours at 10 Hz judged and drawn ÷ parsed")
    keep("trace_memory", lambda: memory, (0, 150), "MB that reading, judging and drawing them takes")
    keep("parking_ratio", parking.parking_ratio, (0, 0.2), "where to park in a surveyed bay ÷ a plain grid search")
    what = "the slowest of five searches in 100,000 visits, newest first, ÷ its page read by primary key"
    keep("search_ratio", searching.search_ratio, (0, 1.5), what)
    right, wrongly = explained.result()
    what = "of 500 results made by one error of the set-up, 3 to 20 times its U: the cause is among the first two"
    keep("explained", lambda: right, (0.9, 1.0), what)
    what = "of 500 results made by the vehicle alone, 0.2 to 1.5°: the set-up is blamed"
    keep("set_up_blamed", lambda: wrongly, (0, 0.05), what)
    passes, within, named, sound = aimed.result()
    what = "200 radars with unlike screws and lash, aimed to within 0.1°: median of the times the screws were turned"
    keep("radar_passes", lambda: passes, (0, 2), what)
    keep("radars_aimed", lambda: within, (0.95, 1.0), "and share of them that truly look within 0.1° then")
    what = "of 200 radars on brackets that screws cannot cure: bracket or cover named"
    keep("bent_brackets_named", lambda: named, (0.95, 1.0), what)
    keep("sound_brackets_named", lambda: sound, (0, 0.02), "and of the 200 on sound ones")
    keep("start_ratio", application.start_ratio, (0, 1.8), "command to first page ÷ import fastapi, sqlalchemy, numpy")
    start, searched = catalogue.ratios()
    keep(
        "start_ratio_5000",
        lambda: start,
        (0, 1.15),
        "nothing to first page with 5,000 sheets made here ÷ with what ships",
    )
    what = "with 5,000 sheets: the slower of opening New visit and searching ÷ a bare page"
    keep("catalogue_ratio", lambda: searched, (0, 3), what)
    keep(
        "list_ratio", application.list_ratio, (0, 1), "the first list of 60 visits after a start ÷ opening one of them"
    )
    keep("rss_mb", application.rss_mb, (0, 130), "resident memory after 500 pages of 300 visits, MB")
    for method, (normal, rectangular) in methods.coverage([m for m in METHODS if m != "none"]).items():
        what = f"{METHODS[method].title}: truth within the stated U"
        keep(f"coverage_{method}", partial(float, normal), (0.94, 0.97), f"{what}, normal errors")
        keep(f"coverage_{method}_rectangular", partial(float, rectangular), (0.94, 1.0), f"{what}, rectangular errors")
    rounds, ratio, arrived = robots.races()
    keep("robot_rounds", lambda: rounds, (0, 2), "median rounds of moves of a robot that obeys the sheet, 200 starts")
    keep("rounds_ratio", lambda: ratio, (0, 0.5), "these ÷ those of a plain technician, the worst axis first")
    keep("robots_arrived", lambda: arrived, (0.99, 1.0), "share of robots truly within every tolerance in the end")
    keep("false_holds", lambda: robots.false_holds(1), (0, 0.026), "holds with the truth on a limit, one look")
    keep("false_holds_three", lambda: robots.false_holds(3), (0, 0.055), "the same, up to three looks as advised")
    for name, (value, limits, what) in honest.figures().items():
        keep(name, lambda value=value: value, limits, what)  # type: ignore[misc]
    bent = "of bodies with one corner bent by 3 to 15 mm, the very pair named (reported)"
    keep("bent_named", bent_named.result, (0.0, 1.0), bent)
    shifted = "of bodies whose whole front is 3 to 15 mm off, told off the rear pairs' line (reported)"
    keep("front_off_found", shifted_found.result, (0.0, 1.0), shifted)
    return found


def main() -> int:
    """Measure, write, print; 1 where a limit does not hold."""
    rows, told = {}, []
    for name, (value, (low, high), what) in figures().items():
        holds = low <= value <= high
        if math.isinf(high):
            limit, said = low, f"at least {low:g}" if low else "none"
        else:
            limit, said = high, f"at most {high:g}" if low == 0 else f"{low:g} to {high:g}"
        rows[name] = {"value": round(value, 5), "limit": limit, "holds": holds}
        told.append(f"| {name} | {what} | {value:.4g} | {said} | {'yes' if holds else 'NO'} |")
    (ROOT / "build").mkdir(exist_ok=True)
    (ROOT / "build" / "bench.json").write_text(json.dumps(rows, indent=2) + "\n")
    machine = f"{platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    lines = ["# Benchmarks", "", "Ratios within one run of `make bench`; the limits are the product's own.", ""]
    lines += ["| figure | what | value | limit | holds |", "|---|---|---|---|---|", *told]
    lines += ["", f"Measured {date.today().isoformat()} on {machine}.", ""]
    (ROOT / "docs" / "benchmarks.md").write_text("\n".join(lines))
    print("\n".join(lines))
    return 0 if all(row["holds"] for row in rows.values()) else 1


if __name__ == "__main__":
    sys.exit(main())
