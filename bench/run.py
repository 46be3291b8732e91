"""``make bench``: each figure with its name and limit, as ratios within one run; writes build/bench.json and docs.

Exits 1 where a limit does not hold: where a sample refutes it, or what is no sample is beyond it. With ``whole`` the
samples are many times larger and it takes more than an hour. No part of ``make test``.
"""

import json
import math
import platform
import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from datetime import date
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
from bounds import SHORT, WHOLE, Limits, Row, Samples

from escuadra.core.visit.methods import METHODS
from escuadra.words import language

ROOT = Path(__file__).parent.parent
BEGIN, END = "<!-- figures: made by make bench -->", "<!-- end of figures -->"


def figures(samples: Samples) -> dict[str, Row]:
    """Every figure, of samples of that size."""
    found: dict[str, Row] = {}
    begun = time.monotonic()

    def put(name: str, row: Row) -> None:
        found[name] = row
        print(f"{time.monotonic() - begun:5.0f} s {name} {row.value:.4g} {row.verdict}", flush=True)

    def keep(name: str, measure: Callable[[], float], limits: Limits, what: str) -> None:
        put(name, Row(measure(), limits, what))

    def share(name: str, value: float, count: float, limits: Limits, what: str) -> None:
        put(name, Row.of_share(value, round(count), limits, what))

    # What takes long and is no ratio of times is worked out on every core first; what is timed is timed alone.
    with ProcessPoolExecutor() as pool:
        bodies = {sheet: pool.submit(around.sheet_figures, sheet, samples.around) for sheet in around.SHEETS}
        misread = {sheet: pool.submit(around.blunder_figures, sheet, 2 * samples.around) for sheet in around.SHEETS}
        scatter = pool.submit(visits.scatter, samples.visits)
        planted = pool.submit(visits.planted, samples.acts)
        explained = pool.submit(explaining.figures, samples.explained)
        aimed = pool.submit(aiming.figures, samples.aimed)
        counted = pool.submit(driving.counted_error)
        bent_named = pool.submit(methods.bent_named, samples.bent)
        shifted_found = pool.submit(methods.shifted_front_found, samples.bent // 2)
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
        put(f"state_e_over_u_{name}", Row.of_rms(ratio, samples.visits, (0.95, 1.05), what))
    acts = planted.result()
    what = f"acts that go wrong by their smallest error, of {len(acts)} kinds: share found"
    share("state_hypotheses_found", sum(acts.values()) / len(acts), len(acts) * samples.acts, (0.78, 0.82), what)
    keep("state_ratio", visits.state_ratio, (0, 0.5), "6 epochs, 120 readings ÷ scipy's lm on the same residuals")
    what = "the same ÷ scipy's lm given our derivatives too (reported)"
    keep("state_slopes_ratio", lambda: visits.state_ratio(slopes=True), (0, math.inf), what)
    keep("state_30_ratio", visits.epochs_ratio, (0, 12), "a visit of 30 epochs ÷ one of 6")
    for sheet in around.SHEETS:
        told = bodies[sheet].result()
        n, wrong = samples.around, misread[sheet].result()
        planted_here, limits = wrong["planted"], (0.0, 0.0)
        what = f"{sheet}: bodies that hold where they truly are out of tolerance"
        share(f"around_false_holds_{sheet}", told["false_holds"], told["judged"], (0, 0.025), what)
        what = f"{sheet}: set-ups that never came to their run"
        share(f"around_dead_ends_{sheet}", 1 - told["reached"], n, limits, what)
        what = f"{sheet}: with one length misread, a body that holds, is truly out, and nobody was asked to read again"
        share(f"around_silent_and_out_{sheet}", wrong["silent_and_out"], planted_here, (0, 0.01), what)
        what = f"{sheet}: of these lengths, read again before the run (reported)"
        share(f"around_noticed_{sheet}", wrong["noticed"], planted_here, (0, 1), what)
        what = f"{sheet}: of those that made readings contradict each other, among the first two to be read again"
        share(f"around_named_{sheet}", wrong["named"], wrong["doubted"], (0.9, 1), what)
        what = f"{sheet}: and of these set-ups that never came to their run"
        share(
            f"around_misread_dead_ends_{sheet}",
            1 - wrong["reached"] if planted_here else 0.0,
            planted_here,
            limits,
            what,
        )
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
    tape, ride_height = application.reading_ratios()
    keep("reading_ratio", lambda: tape, (0, 3), what)
    what = "a ride height's round trip in the same visit ÷ a bare page"
    keep("ride_height_ratio", lambda: ride_height, (0, 2), what)
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
    what = "of results made by one error of the set-up, 3 to 20 times its U: the cause is among the first two"
    share("explained", right, samples.explained, (0.9, 1.0), what)
    what = "of results made by the vehicle alone, 0.2 to 1.5°: the set-up is blamed"
    share("set_up_blamed", wrongly, samples.explained, (0, 0.05), what)
    passes, within, named, sound = aimed.result()
    what = "radars with unlike screws and lash, aimed to within 0.1°: median of the times the screws were turned"
    keep("radar_passes", lambda: passes, (0, 2), what)
    n, what = samples.aimed, "of radars on brackets that screws cannot cure: bracket or cover named"
    share("radars_aimed", within, n, (0.95, 1.0), "and share of them that truly look within 0.1° then")
    share("bent_brackets_named", named, n, (0.95, 1.0), what)
    share("sound_brackets_named", sound, n, (0, 0.02), "and of those on sound ones")
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
    every, n = [method for method in METHODS if method != "none"], samples.covered
    for method, (normal, rectangular) in methods.coverage(every, n).items():
        what = f"{language().say(METHODS[method].title)}: truth within the stated U"
        share(f"coverage_{method}", normal, n, (0.94, 0.97), f"{what}, normal errors")
        share(f"coverage_{method}_rectangular", rectangular, n, (0.94, 1.0), f"{what}, rectangular errors")
    rounds, ratio, arrived = robots.races(samples.starts)
    what = f"median rounds of moves of a robot that obeys the sheet, {samples.starts} starts"
    keep("robot_rounds", lambda: rounds, (0, 2), what)
    keep("rounds_ratio", lambda: ratio, (0, 0.5), "these ÷ those of a plain technician, the worst axis first")
    what = "share of robots truly within every tolerance in the end"
    share("robots_arrived", arrived, samples.starts, (0.99, 1.0), what)
    keep("false_holds", lambda: robots.false_holds(1), (0, 0.026), "holds with the truth on a limit, one look")
    keep("false_holds_three", lambda: robots.false_holds(3), (0, 0.055), "the same, up to three looks as advised")
    for name, row in honest.figures(samples.honest).items():
        put(name, row)
    bent = "of bodies with one corner bent by 3 to 15 mm, the very pair named (reported)"
    share("bent_named", bent_named.result(), samples.bent, (0.0, 1.0), bent)
    shifted = "of bodies whose whole front is 3 to 15 mm off, told off the rear pairs' line (reported)"
    share("front_off_found", shifted_found.result(), samples.bent // 2, (0.0, 1.0), shifted)
    return found


def main(samples: Samples) -> int:
    """Measure, write, print; 1 where a limit does not hold."""
    rows, told, begun = {}, [], time.monotonic()
    measured = figures(samples)
    for name, row in measured.items():
        (low, high), value, what = row.limits, row.value, row.what
        if math.isinf(high):
            limit, said = low, f"at least {low:g}" if low else "none"
        else:
            limit, said = high, f"at most {high:g}" if low == 0 else f"{low:g} to {high:g}"
        rows[name] = {
            "value": round(value, 5),
            "limit": limit,
            "holds": row.verdict,
            "bound": row.bound,
            "n": row.count,
        }
        told.append(f"| {name} | {what} | {value:.4g} | {row.of} | {said} | {row.verdict} |")
    (ROOT / "build").mkdir(exist_ok=True)
    (ROOT / "build" / "bench.json").write_text(json.dumps(rows, indent=2) + "\n")
    machine = f"{platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    took = round((time.monotonic() - begun) / 60, 1)
    lines = [f"Measured {date.today().isoformat()} on {machine}, in {took} minutes."]
    lines += ["", "| figure | what | value | 95 % bound | limit | holds |", "|---|---|---|---|---|---|", *told]
    document = ROOT / "docs" / "benchmarks.md"
    before, rest = document.read_text(encoding="utf-8").split(BEGIN)
    document.write_text("\n".join([f"{before}{BEGIN}", "", *lines, "", END]) + rest.split(END)[1], encoding="utf-8")
    print("\n".join(lines))
    return 1 if any(row.verdict == "NO" for row in measured.values()) else 0


if __name__ == "__main__":
    sys.exit(main(WHOLE if "whole" in sys.argv[1:] else SHORT))
