"""The project itself: built styles are current, every command and screen is documented, no foreign names."""

import ast
import importlib
import importlib.util
import re
import runpy
import subprocess
from pathlib import Path

import pytest

from escuadra import __version__
from escuadra.cli import app
from escuadra.core.calculations import KINDS
from escuadra.core.visit.log.disturbances import HAPPENINGS

ROOT = Path(__file__).parent.parent


def test_the_committed_styles_are_what_their_source_builds(tmp_path: Path) -> None:
    built = tmp_path / "app.css"
    command = ["npx", "@tailwindcss/cli", "-i", "styles/input.css", "-o", str(built), "--minify"]
    subprocess.run(command, cwd=ROOT, check=True, capture_output=True)
    assert built.read_bytes() == (ROOT / "escuadra/web/static/app.css").read_bytes(), "run: make css"


def test_everything_that_is_measured_still_imports_what_it_measures() -> None:
    for path in sorted((ROOT / "bench").glob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("escuadra"):
                module = importlib.import_module(node.module or "")
                missing = [name.name for name in node.names if not hasattr(module, name.name)]
                assert not missing, f"{path.name}: {node.module} has no {missing}"


def test_vendored_scripts_are_the_locked_ones() -> None:
    for name in ("htmx", "tailwindcss"):
        kept = ROOT / f"escuadra/web/static/vendor/{name}-LICENSE.txt"
        assert kept.read_bytes() == (ROOT / f"node_modules/{name.replace('htmx', 'htmx.org')}/LICENSE").read_bytes()
    shipped = ROOT / "escuadra/web/static/vendor/htmx.min.js"
    assert shipped.read_bytes() == (ROOT / "node_modules/htmx.org/dist/htmx.min.js").read_bytes()
    for font in (ROOT / "escuadra/web/static/fonts").glob("*.woff2"):
        family = "b612" if font.name.startswith("b612") else "source-sans-3"
        assert font.read_bytes() == (ROOT / f"node_modules/@fontsource/{family}/files/{font.name}").read_bytes()


@pytest.mark.parametrize(
    "document, names",
    [
        ("README.md", [f"escuadra {c.name or c.callback.__name__}" for c in app.registered_commands if c.callback]),
        ("README.md", ["make demo", "make test", "make bench", "PORT=", "DATA="]),
        ("docs/measurement.md", [f"`{kind}`" for kind in KINDS]),
        ("docs/architecture.md", [f"`{what}`" for what in HAPPENINGS]),
        ("docs/architecture.md", [f"`{path.name}/`" for path in (ROOT / "escuadra").iterdir()
                                  if path.is_dir() and (path / "__init__.py").exists()]),
        ("README.md", [path.name for path in (ROOT / "docs/screenshots").glob("*.png")]),
        ("README.md", ["CONTRIBUTING.md", "CHANGELOG.md", "SECURITY.md", "LICENSE", "docs/conventions.md"]),
        ("CHANGELOG.md", [f"## {__version__}"]),
        ("NOTICE", [str(path.relative_to(ROOT)) for path in (ROOT / "escuadra").rglob("*LICENSE*")]),
    ],
)  # fmt: skip
def test_what_exists_is_named_in_the_documents(document: str, names: list[str]) -> None:
    text = (ROOT / document).read_text()
    missing = [name for name in names if name not in text]
    assert names
    assert not missing


def test_the_rooms_that_are_drawn_are_those_of_the_imports() -> None:
    drawer = runpy.run_path(str(ROOT / "scripts/rooms.py"))
    text = drawer["DOCUMENT"].read_text()
    assert drawer["with_rooms"](text) == text, "run: make rooms"
    core = "\n".join(drawer["table"](ROOT / "escuadra/core"))
    assert "| `base/` |" in core
    assert core.index("`base/`") < core.index("`measure/`") < core.index("`bay/`") < core.index("`visit/`")


def test_every_command_is_told_with_who_may_ask_it() -> None:
    drawer = runpy.run_path(str(ROOT / "scripts/asked.py"))
    text = drawer["DOCUMENT"].read_text()
    assert drawer["with_commands"](text) == text, "run: make rooms"
    assert "| may *sign*: specialist, lead | a calibration | `signing` |" in text


def test_the_walk_along_a_reading_is_the_one_that_a_trace_saw() -> None:
    walker = runpy.run_path(str(ROOT / "scripts/walk.py"))
    text = (ROOT / "docs/architecture.md").read_text(encoding="utf-8")
    assert walker["with_walk"](text) == text, "run: make rooms"
    visited = re.findall(r"^\| \d+ \| `([\w/]+)` \|", text, re.MULTILINE)
    stages = ("visit/readings", "visit/network_of_epochs", "geodesy/state/located", "visit/advice/what_next")
    assert [name for name in visited if name in stages] == list(stages)
    assert len(visited) == len(set(visited)) > 50


@pytest.mark.parametrize("room", sorted(path.parent.name for path in (ROOT / "escuadra/core").glob("*/__init__.py")))
def test_a_room_of_the_core_names_what_it_is_entered_by(room: str) -> None:
    face = importlib.import_module(f"escuadra.core.{room}")
    _, entrance = (face.__doc__ or "").split("Entrance:")
    for name in re.findall(r"``([\w.]+)``", entrance):
        module, _, thing = f"{face.__name__}.{name}".rpartition(".")
        found = importlib.util.find_spec(f"{module}.{thing}") if _is_package(module) else None
        assert found or hasattr(importlib.import_module(module), thing), name


def _is_package(module: str) -> bool:
    spec = importlib.util.find_spec(module)
    return spec is not None and spec.submodule_search_locations is not None


def test_every_path_that_a_document_names_is_there() -> None:
    """A module is named from the package, or by its own name after one of its folder."""
    known = {path.name for path in [*(ROOT / "escuadra").rglob("*.py"), *(ROOT / "bench").glob("*.py")]}
    for document in [*(ROOT / "docs").glob("*.md"), ROOT / "README.md"]:
        for name in re.findall(r"`([\w/]+\.py)`", document.read_text()):
            at = [ROOT / name, ROOT / "escuadra" / name, ROOT / "escuadra/core/visit" / name]
            assert any(path.exists() for path in at) or ("/" not in name and name in known), f"{document.name}: {name}"


def test_every_module_that_a_page_or_a_document_names_is_there() -> None:
    for path in [*(ROOT / "escuadra").rglob("*.html"), *(ROOT / "docs").glob("*.md"), *ROOT.glob("*.md")]:
        for name in re.findall(r"escuadra\.core(?:\.\w+)+", path.read_text()):
            module, _, thing = name.rpartition(".")
            found = (ROOT / f"{name.replace('.', '/')}.py").exists() or (ROOT / name.replace(".", "/")).is_dir()
            assert found or hasattr(importlib.import_module(module), thing), f"{path.name}: {name}"


def test_the_core_remembers_nothing() -> None:
    hidden = [
        f"{path.relative_to(ROOT)}: {name}"
        for path in (ROOT / "escuadra/core").rglob("*.py")
        for name in re.findall(
            r"\blru_cache\b|\bimport cache\b|\bcachetools\b|^ +global \w+$", path.read_text(), re.MULTILINE
        )
    ]
    assert not hidden, "what is worth keeping is kept in the value that it is of, or at the edge"


def test_no_template_has_a_line_that_cannot_be_read() -> None:
    long = [
        f"{path.relative_to(ROOT)}:{nth}"
        for path in (ROOT / "escuadra").rglob("*.html")
        for nth, line in enumerate(path.read_text().splitlines(), 1)
        if len(line) > 140
    ]
    assert not long


def test_locks_name_no_host_and_every_file_opens_with_what_it_is_for() -> None:
    for name in ("requirements.lock", "requirements-dev.lock", "package-lock.json", ".npmrc"):
        assert not re.search(
            r"https?://(?!opencollective|github|www\.patreon|polar|evilmartians)", (ROOT / name).read_text()
        )
    for path in [*(ROOT / "escuadra").rglob("*.py"), *(ROOT / "tests").rglob("*.py")]:
        text = path.read_text()
        assert not text.strip() or text.startswith('"""'), f"{path} does not say what it is for"
        assert path.stem not in ("utils", "helpers", "manager")
