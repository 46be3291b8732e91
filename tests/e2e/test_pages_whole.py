"""Every page of the demo, found by following its links: it answers, and its HTML is valid."""

import html
import json
import re
import subprocess
import urllib.request
from pathlib import Path

from escuadra.drawing.svg import text_boxes
from tests.e2e.conftest import Server

ROOT = Path(__file__).parents[2]
FILES = re.compile(r"\.(pdf|json|csv|dxf|svg|yaml|jpg)$|^/static/")
LOOKED_AT = 3
"""Pages that differ only in what they are asked (a check, a place, a bay) which are looked at, of each kind."""


def kind(path: str) -> str:
    """Pages of one template: their address without ids and values."""
    return re.sub(r"/[0-9a-f]{12}", "/ID", re.sub(r"=[^&]*", "=", path))


def test_every_page_answers_with_valid_html(demo: Server, tmp_path: Path) -> None:
    waiting, seen, kinds = (
        ["/", "/parts", "/api/docs", "/garage?q=cam", "/jobs/new"],
        dict[str, str](),
        dict[str, int](),
    )
    while waiting:
        path = waiting.pop(0)
        if path in seen or kinds.get(kind(path), 0) >= LOOKED_AT * (8 if "check=" in path else 1):
            continue
        kinds[kind(path)] = kinds.get(kind(path), 0) + 1
        with urllib.request.urlopen(demo.url + path, timeout=120) as answer:
            text = answer.read().decode()
        seen[path] = f"{len(seen):03}.html"
        (tmp_path / seen[path]).write_text(text)
        links = (html.unescape(link) for link in re.findall(r'<a [^>]*href="(/[^"#]*)', text))
        waiting += [link for link in links if not FILES.search(link.partition("?")[0])]
        for drawing in re.findall(r"<svg[^>]*bay-drawing.*?</svg>", text):
            boxes = text_boxes(drawing)
            for k, (said, a) in enumerate(boxes):
                on = [b for b, o in boxes[k + 1 :] if a[0] < o[2] and o[0] < a[2] and a[1] < o[3] and o[1] < a[3]]
                assert not on, f"{path}: {said} lies on {on}"
        assert not re.search(r"<dl[^>]*>\s*<div[^>]*>\s*<dd", text), f"{path}: a div in a dl without its dt"
    assert len(seen) > 60
    command = ["npx", "html-validate", "--config", str(ROOT / ".htmlvalidate.json"), "-f", "json", str(tmp_path)]
    found = json.loads(subprocess.run(command, cwd=ROOT, capture_output=True, text=True).stdout)
    pages = {name: path for path, name in seen.items()}
    told = [
        f"{pages[Path(file['filePath']).name]}: line {m['line']}: {m['message']}"
        for file in found
        for m in file["messages"]
    ]
    assert not told, "\n".join(sorted(set(told))[:40])
