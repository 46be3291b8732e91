"""What a run under coverage notes of each test: its name at every line that it reaches, and how long it took.

A plugin of pytest; the times go into the file that ``ESCUADRA_TIMES`` names.
"""

import json
import os
from collections import defaultdict
from collections.abc import Generator
from pathlib import Path

import coverage
import pytest

took: dict[str, float] = defaultdict(float)


@pytest.hookimpl(wrapper=True, tryfirst=True)
def pytest_runtest_protocol(item: pytest.Item) -> Generator[None, object, object]:
    """Every case of a test by its own name, with what is set up for it."""
    measuring = coverage.Coverage.current()
    assert measuring is not None, "coverage does not run"
    measuring.switch_context(item.nodeid)
    done = yield
    measuring.switch_context("")
    return done


def pytest_runtest_logreport(report: pytest.TestReport) -> None:
    """A test takes as long as its setting up, its call and its tidying up."""
    took[report.nodeid] += report.duration


def pytest_sessionfinish() -> None:
    """Keep the times."""
    Path(os.environ["ESCUADRA_TIMES"]).write_text(json.dumps(took), encoding="utf-8")
