"""Which lines the tests run, and which test runs which: ``make coverage`` holds the share to its floor.

The tests without a browser run in two processes, each line with the names of the tests that reached it, case by case;
what each took is kept beside it. ``make mutants`` picks a line's tests from there.
"""

import json
import os
import subprocess
import sys
from collections import defaultdict
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
DATA = ROOT / ".coverage"
KEPT_TIMES = ROOT / ".covered.json"
SLOW = ROOT / "tests/slow.txt"
FLOOR = 95
"""Percent of lines and branches."""
QUICK_S = 350.0
"""So much time of one processor, as it is taken here, the tests of ``make quick`` may take: the quickest are its."""
HALVES = (
    ("tests/core/visit", "tests/golden"),
    ("tests", "--ignore=tests/core/visit", "--ignore=tests/golden", "--ignore=tests/e2e"),
)


def newest() -> float:
    """When code or tests were changed last."""
    return max(p.stat().st_mtime for part in ("escuadra", "tests") for p in (ROOT / part).rglob("*.py"))


def made(anew: bool = False) -> None:
    """Run the tests where nothing is kept or it is older than what it is of."""
    if not anew and DATA.exists() and DATA.stat().st_mtime > newest():
        return
    running = []
    for nth, tests in enumerate(HALVES):
        path = os.pathsep.join(map(str, (ROOT, ROOT / "bench")))
        noted = os.environ | {"PYTHONPATH": path, "ESCUADRA_TIMES": _times(nth)}
        command = [
            sys.executable,
            *["-m", "coverage", "run", "--parallel-mode", "-m", "pytest", "-q", "-n0", "-p", "each_test"],
        ]
        running.append(subprocess.Popen([*command, *tests], cwd=ROOT, env=noted))
    codes = [one.wait() for one in running]
    if any(codes):
        raise SystemExit("a test failed: nothing is measured")
    subprocess.run([sys.executable, "-m", "coverage", "combine", "-q"], cwd=ROOT, check=True)
    took: dict[str, float] = {}
    for nth in range(len(HALVES)):
        half = Path(_times(nth))
        took |= json.loads(half.read_text(encoding="utf-8"))
        half.unlink()
    KEPT_TIMES.write_text(json.dumps(took), encoding="utf-8")
    SLOW.write_text("\n".join(too_long(took)) + "\n", encoding="utf-8")
    os.utime(DATA)


def _times(nth: int) -> str:
    return str(ROOT / f".covered.{nth}.json")


def too_long(took: dict[str, float]) -> list[str]:
    """The tests that there is no time for in a hurry, by their node ids without a case."""
    whole: dict[str, float] = defaultdict(float)
    for case, seconds in took.items():
        whole[case.partition("[")[0]] += seconds
    spent, found = 0.0, list[str]()
    for name, seconds in sorted(whole.items(), key=lambda one: (one[1], one[0])):
        spent += seconds
        if spent > QUICK_S:
            found.append(name)
    return sorted(found)


def times_taken() -> dict[str, float]:
    """What each case of a test took, seconds, by its node id."""
    kept: dict[str, float] = json.loads(KEPT_TIMES.read_text(encoding="utf-8"))
    return kept


if __name__ == "__main__":
    made(anew=True)
    command = [sys.executable, "-m", "coverage", "report", "--skip-covered", f"--fail-under={FLOOR}"]
    sys.exit(subprocess.run(command, cwd=ROOT, check=False).returncode)
