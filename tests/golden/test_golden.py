"""The demo is told as the dump has it, in valid pages whose drawings can be read."""

import difflib
import json
import re
import subprocess
from pathlib import Path

import pytest

from escuadra.drawing.svg import text_boxes
from tests.golden.dump import HERE, dump, kind

CHECKED = 16
"""Pages of one template that are looked at."""
ROOT = Path(__file__).parents[2]
pytestmark = [pytest.mark.slow, pytest.mark.xdist_group("golden")]


@pytest.fixture(scope="module")
def told() -> tuple[dict[str, str], dict[str, str]]:
    """The dump's files, and every page of the demo by its address."""
    whole: dict[str, str] = {}
    return dump(whole), whole


def test_the_demo_is_told_as_ever(told: tuple[dict[str, str], dict[str, str]]) -> None:
    for name, content in told[0].items():
        kept = (HERE / name).read_text(encoding="utf-8").splitlines()
        changed = list(difflib.unified_diff(kept, content.splitlines(), name, "now", lineterm="", n=1))
        assert not changed, "\n".join(["changed on purpose? make golden", *changed[:60]])


def test_every_page_is_valid_and_no_label_in_a_bay_lies_on_another(
    told: tuple[dict[str, str], dict[str, str]], tmp_path: Path
) -> None:
    names: dict[str, str] = {}
    kinds: dict[str, int] = {}
    for path, text in told[1].items():
        kinds[kind(path)] = kinds.get(kind(path), 0) + 1
        if kinds[kind(path)] > CHECKED:
            continue
        names[f"{len(names):03}.html"] = path
        (tmp_path / f"{len(names) - 1:03}.html").write_text(text, encoding="utf-8")
        for drawing in re.findall(r"<svg[^>]*bay-drawing.*?</svg>", text):
            boxes = text_boxes(drawing)
            for k, (said, a) in enumerate(boxes):
                on = [b for b, o in boxes[k + 1 :] if a[0] < o[2] and o[0] < a[2] and a[1] < o[3] and o[1] < a[3]]
                assert not on, f"{path}: {said} lies on {on}"
        assert not re.search(r"<dl[^>]*>\s*<div[^>]*>\s*<dd", text), f"{path}: a div in a dl without its dt"
    assert len(names) > 60
    command = ["npx", "html-validate", "--config", str(ROOT / ".htmlvalidate.json"), "-f", "json", str(tmp_path)]
    found = json.loads(subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False).stdout)
    wrong = [
        f"{names[Path(file['filePath']).name]}: line {m['line']}: {m['message']}"
        for file in found
        for m in file["messages"]
    ]
    assert not wrong, "\n".join(sorted(set(wrong))[:40])
