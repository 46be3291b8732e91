"""Which lines the tests run, and which test runs which: ``make coverage`` holds the share to its floor.

The tests without a browser run in two processes, each line with the names of the tests that reached it; what each test
took is kept beside it. ``make mutants`` picks a line's tests from there.
"""

import json
import os
import subprocess
import sys
import xml.etree.ElementTree as ET
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
        report = ROOT / f".covered.{nth}.xml"
        command = [sys.executable, "-m", "coverage", "run", "--parallel-mode", "-m", "pytest", "-q", "-n0"]
        running.append(subprocess.Popen([*command, f"--junitxml={report}", *tests], cwd=ROOT))
    codes = [one.wait() for one in running]
    if any(codes):
        raise SystemExit("a test failed: nothing is measured")
    subprocess.run([sys.executable, "-m", "coverage", "combine", "-q"], cwd=ROOT, check=True)
    took: dict[str, float] = defaultdict(float)
    for nth in range(len(HALVES)):
        report = ROOT / f".covered.{nth}.xml"
        for case in ET.parse(report).iter("testcase"):
            name = str(case.get("name")).partition("[")[0]
            took[f"{case.get('classname')}.{name}"] += float(case.get("time") or 0)
        report.unlink()
    KEPT_TIMES.write_text(json.dumps(took))
    SLOW.write_text("\n".join(too_long(took)) + "\n", encoding="utf-8")
    os.utime(DATA)


def too_long(took: dict[str, float]) -> list[str]:
    """The tests that there is no time for in a hurry, by their node ids."""
    spent, found = 0.0, list[str]()
    for name, seconds in sorted(took.items(), key=lambda one: (one[1], one[0])):
        spent += seconds
        if spent > QUICK_S:
            module, _, function = name.rpartition(".")
            found.append(f"{module.replace('.', '/')}.py::{function}")
    return sorted(found)


def times_taken() -> dict[str, float]:
    """What each test took, seconds, by its name; all its cases together."""
    kept: dict[str, float] = json.loads(KEPT_TIMES.read_text())
    return kept


if __name__ == "__main__":
    made(anew=True)
    command = [sys.executable, "-m", "coverage", "report", "--skip-covered", f"--fail-under={FLOOR}"]
    sys.exit(subprocess.run(command, cwd=ROOT, check=False).returncode)
