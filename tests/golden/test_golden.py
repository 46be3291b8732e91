"""The demo is told as the dump has it, in valid pages whose drawings can be read."""

import difflib
import json
import re
import subprocess
from pathlib import Path

from escuadra.drawing.svg import text_boxes
from tests.golden.dump import HERE, dump, kind
from tests.golden.sheets import kept

CHECKED = 6
"""Pages of one template that are looked at."""
ROOT = Path(__file__).parents[2]


def test_the_demo_is_told_as_ever_in_valid_pages(demo_then: Path, tmp_path: Path) -> None:
    """One walk for both: it takes half a minute."""
    pages: dict[str, str] = {}
    told_as_ever(dump(pages, demo_then))
    no_label_on_another(pages)
    valid(pages, tmp_path)


def told_as_ever(files: dict[str, str]) -> None:
    for name, content in files.items():
        as_kept(HERE / name, content.splitlines())


def as_kept(file: Path, lines: list[str]) -> None:
    """It is told as it was."""
    changed = list(difflib.unified_diff(kept(file), lines, file.name, "now", lineterm="", n=1))
    assert not changed, "\n".join(["changed on purpose? make golden", *changed[:60]])


def no_label_on_another(pages: dict[str, str]) -> None:
    for path, text in pages.items():
        for drawing in re.findall(r"<svg[^>]*bay-drawing.*?</svg>", text):
            boxes = text_boxes(drawing)
            for k, (said, a) in enumerate(boxes):
                on = [b for b, o in boxes[k + 1 :] if a[0] < o[2] and o[0] < a[2] and a[1] < o[3] and o[1] < a[3]]
                assert not on, f"{path}: {said} lies on {on}"


def valid(pages: dict[str, str], folder: Path) -> None:
    names: dict[str, str] = {}
    kinds: dict[str, int] = {}
    for path, text in pages.items():
        assert not re.search(r"<dl[^>]*>\s*<div[^>]*>\s*<dd", text), f"{path}: a div in a dl without its dt"
        kinds[kind(path)] = kinds.get(kind(path), 0) + 1
        if kinds[kind(path)] <= CHECKED:
            names[f"{len(names):03}.html"] = path
            (folder / f"{len(names) - 1:03}.html").write_text(text, encoding="utf-8")
    assert len(names) > 60
    command = ["npx", "html-validate", "--config", str(ROOT / ".htmlvalidate.json"), "-f", "json", str(folder)]
    found = json.loads(subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False).stdout)
    wrong = [
        f"{names[Path(file['filePath']).name]}: line {m['line']}: {m['message']}"
        for file in found
        for m in file["messages"]
    ]
    assert not wrong, "\n".join(sorted(set(wrong))[:40])
