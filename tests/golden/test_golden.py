"""The demo is told as the dump has it."""

import difflib

import pytest

from tests.golden.dump import HERE, dump


@pytest.mark.slow
def test_the_demo_is_told_as_ever() -> None:
    for name, content in dump().items():
        kept = (HERE / name).read_text(encoding="utf-8").splitlines()
        changed = list(difflib.unified_diff(kept, content.splitlines(), name, "now", lineterm="", n=1))
        assert not changed, "\n".join(["changed on purpose? make golden", *changed[:60]])
