"""Does a test fail when the code is wrong? A seeded sample of small errors in each room, each run against its tests.

``make mutants`` plants one error at a time (a sign, an operator, a comparison, a condition, a side) and runs the tests
that ``make coverage`` saw on that line, the room's own first, until one fails. What survives is a missing test or a
line too many. The share that was found is told with the lower end of its 95 % bound (Clopper and Pearson). A few runs
with no error at all must pass, else nothing is told.
"""

import ast
import contextlib
import gc
import importlib
import inspect
import io
import itertools
import multiprocessing
import multiprocessing.connection
import os
import pkgutil
import random
import shutil
import signal
import sys
import time
from collections import defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from multiprocessing.context import ForkProcess
from pathlib import Path
from types import CodeType, FunctionType
from typing import Any

import escuadra  # before any array: it says how many threads they have, as every test does

# isort: split
import bounds
import coverage
import fastapi
import hypothesis
import numpy
import pytest
import sqlalchemy
from covered import DATA, ROOT, made, times_taken

LOADED = (escuadra, fastapi, hypothesis, numpy, sqlalchemy)
"""What every run needs, loaded once before it forks."""
COUNT, CONTROLS, SEED = 120, 6, 20_261
ROOMS = {
    "geodesy": ("escuadra/core/geodesy", 0.90),
    "measure": ("escuadra/core/measure", 0.90),
    "vehicle": ("escuadra/core/vehicle", 0.90),
    "visit": ("escuadra/core/visit", 0.85),
    "drawing": ("escuadra/drawing", 0.85),
}
"""Each room's folder, and the share of errors that must be found."""
MOST_SECONDS = 75.0
"""So much of a line's tests is run, as long as they took under coverage."""
WIDEST = 2
"""So many of a room's tests are always run: those that run most of the module."""
PATIENCE = 3
"""So many times that is waited for what does not end."""
FORK = multiprocessing.get_context("fork")
SURVIVED, FOUND = 0, 3
COPIES = Path("/tmp") / f"escuadra-mutants-{os.getpid()}"
SWAPPED: dict[type[ast.AST], str] = {
    ast.Add: "-",
    ast.Sub: "+",
    ast.Mult: "/",
    ast.Div: "*",
    ast.Lt: ">=",
    ast.LtE: "<",
    ast.Gt: "<=",
    ast.GtE: ">",
    ast.Eq: "!=",
    ast.NotEq: "==",
    ast.In: "not in",
    ast.NotIn: "in",
    ast.Is: "is not",
    ast.IsNot: "is",
    ast.And: "or",
    ast.Or: "and",
}
SIDES = {"left": "right", "right": "left", "front": "rear", "rear": "front", "up": "down", "down": "up"}
CALLS = {"min": "max", "max": "min", "sin": "cos", "cos": "sin", "any": "all", "all": "any"}
NAMES = {"L": "R", "R": "L"}


@dataclass(frozen=True)
class Mutant:
    """One small error: where, and the whole text of the module with it."""

    path: str
    line: int
    was: str
    now: str
    text: str


class Errors(ast.NodeVisitor):
    """All small errors that one module can have, as replacements of pieces of its text."""

    def __init__(self, text: str, drawn: bool) -> None:
        self.text, self.drawn, self.found = text, drawn, list[tuple[int, int, int, str]]()
        self.starts = [0]
        for line in text.splitlines(keepends=True):
            self.starts.append(self.starts[-1] + len(line.encode()))

    def _at(self, line: int, column: int) -> int:
        return self.starts[line - 1] + column

    def _replace(self, node: ast.expr, now: str) -> None:
        begin, end = self._at(node.lineno, node.col_offset), self._at(node.end_lineno or 0, node.end_col_offset or 0)
        self.found.append((node.lineno, begin, end, now))

    def _between(self, left: ast.expr, right: ast.expr, now: str) -> None:
        """The operator between two operands, whatever space or bracket is beside it."""
        begin = self._at(left.end_lineno or 0, left.end_col_offset or 0)
        end = self._at(right.lineno, right.col_offset)
        between = self.text.encode()[begin:end].decode()
        words = between.strip(" ()\n\t")
        if words and between.count(words) == 1 and "#" not in between:
            at = begin + len(between[: between.index(words)].encode())
            self.found.append((right.lineno, at, at + len(words.encode()), now))

    def visit_BinOp(self, node: ast.BinOp) -> None:
        if type(node.op) in SWAPPED and not isinstance(node.left, ast.Constant | ast.JoinedStr):
            self._between(node.left, node.right, SWAPPED[type(node.op)])
        self.generic_visit(node)

    def visit_Compare(self, node: ast.Compare) -> None:
        left = node.left
        for op, right in zip(node.ops, node.comparators, strict=True):
            if type(op) in SWAPPED:
                self._between(left, right, SWAPPED[type(op)])
            left = right
        self.generic_visit(node)

    def visit_BoolOp(self, node: ast.BoolOp) -> None:
        if not self.drawn:
            self._between(node.values[0], node.values[1], SWAPPED[type(node.op)])
        self.generic_visit(node)

    def visit_UnaryOp(self, node: ast.UnaryOp) -> None:
        if isinstance(node.op, ast.USub | ast.Not):
            inner = ast.get_source_segment(self.text, node.operand)
            if inner is not None:
                self._replace(node, f"({inner})")
        self.generic_visit(node)

    def visit_Call(self, node: ast.Call) -> None:
        name = node.func
        plain = name.attr if isinstance(name, ast.Attribute) else name.id if isinstance(name, ast.Name) else ""
        if plain in CALLS and (not self.drawn or plain in ("sin", "cos")):
            end = self._at(name.end_lineno or 0, name.end_col_offset or 0)
            self.found.append((name.lineno, end - len(plain), end, CALLS[plain]))
        self.generic_visit(node)

    def visit_IfExp(self, node: ast.IfExp) -> None:
        condition = ast.get_source_segment(self.text, node.test)
        if condition is not None:
            self._replace(node.test, f"(not ({condition}))")
        self.generic_visit(node)

    def visit_If(self, node: ast.If) -> None:
        condition = ast.get_source_segment(self.text, node.test)
        if condition is not None and not self.drawn:
            self._replace(node.test, f"(not ({condition}))")
        self.generic_visit(node)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, str) and node.value in SIDES:
            quote = self.text.encode()[self._at(node.lineno, node.col_offset) :][:1].decode()
            if quote in "\"'":
                self._replace(node, f"{quote}{SIDES[node.value]}{quote}")

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        if node.value is not None:
            self.visit(node.value)

    def visit_arguments(self, node: ast.arguments) -> None:
        for default in [*node.defaults, *(one for one in node.kw_defaults if one is not None)]:
            self.visit(default)

    def visit_FunctionDef(self, node: ast.FunctionDef) -> None:
        self.visit(node.args)
        for part in node.body:
            self.visit(part)

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        """Places within such texts are told wrongly by this Python."""


Job = tuple[Mutant, list[str]]
"""An error and the tests of its line."""
Running = dict[int, tuple[ForkProcess, Mutant, float]]
"""By what shows that a process ended: the process, its error, when it began."""


def errors_in(path: Path, drawn: bool) -> Iterator[Mutant]:
    """Every small error that a module can have and that still can be compiled."""
    text = path.read_text()
    errors = Errors(text, drawn)
    errors.visit(ast.parse(text))
    whole = text.encode()
    for line, begin, end, now in sorted(set(errors.found)):
        changed = (whole[:begin] + now.encode() + whole[end:]).decode()
        with contextlib.suppress(SyntaxError):
            compile(changed, str(path), "exec")
            yield Mutant(str(path.relative_to(ROOT)), line, whole[begin:end].decode(), now, changed)


def sampled(room: str, count: int) -> list[Mutant]:
    """The room's sample: the same in every run as long as its code is the same."""
    folder, _ = ROOMS[room]
    every = [one for path in sorted((ROOT / folder).rglob("*.py")) for one in errors_in(path, room == "drawing")]
    return random.Random(SEED).sample(every, min(count, len(every)))


def near(name: str, room: str) -> bool:
    """A test of the room's own, or of all calculations."""
    folders = Path(name.partition("::")[0]).parts[1:-1]
    return room in folders or folders == ("core",)


def tests_of(kept: coverage.CoverageData, times: dict[str, float], mutant: Mutant, room: str) -> list[str]:
    """The cases that were seen on its line, as far as the time goes.

    The room's own first; one case of every test before a second of any, of its cases the one that runs most of the
    module; the quickest first. Besides those, the ``WIDEST`` of the room's tests: a line that almost every test runs is
    best told by one that holds whatever comes of it.
    """
    contexts = kept.contexts_by_lineno(str(ROOT / mutant.path))
    names = {name for name in contexts.get(mutant.line, []) if name}
    if not names and mutant.line in contexts:
        # It is run when its module is loaded: any test of the module can tell.
        names = {name for told in contexts.values() for name in told if name}
    nth: dict[str, int] = {}
    cases: dict[str, int] = defaultdict(int)
    runs: dict[str, int] = defaultdict(int)
    for name in (name for reached in contexts.values() for name in reached):
        runs[name] += 1
    for name in sorted(names, key=lambda name: (-runs[name], times.get(name, 1.0), name)):
        test = name.partition("[")[0]
        nth[name], cases[test] = cases[test], cases[test] + 1
    found: list[str] = []
    spent = 0.0
    for name in sorted(names, key=lambda name: (not near(name, room), nth[name], times.get(name, 1.0), name)):
        took = times.get(name, 1.0)
        if spent + took <= MOST_SECONDS or not found:
            found.append(name)
            spent += took
    first = (name for name in names if not nth[name] and near(name, room) and times.get(name, 1.0) <= MOST_SECONDS)
    wide = sorted(first, key=lambda name: (-runs[name], name))[:WIDEST]
    return list(dict.fromkeys([*found, *wide]))


def codes_in(whole: CodeType) -> Iterator[CodeType]:
    """A module's code and all that lies in it."""
    yield whole
    for const in whole.co_consts:
        if isinstance(const, CodeType):
            yield from codes_in(const)


def own_of(code: CodeType) -> tuple[Any, ...]:
    """What a code does itself, whatever lies in it."""
    consts = tuple((type(c), c) for c in code.co_consts if not isinstance(c, CodeType))
    return code.co_qualname, code.co_code, code.co_names, consts


def planted(mutant: Mutant) -> bool:
    """Plant an error in the functions as they are loaded; no, where it is not within one: there is more to do."""
    path = str(ROOT / mutant.path)
    before, after = (
        list(codes_in(compile(text, path, "exec"))) for text in ((ROOT / mutant.path).read_text(), mutant.text)
    )
    new = [now for was, now in zip(before, after, strict=True) if own_of(was) != own_of(now)]
    if len(before) != len(after) or not new or any(not code.co_flags & inspect.CO_NEWLOCALS for code in new):
        return False
    swapped = {(code.co_qualname, code.co_firstlineno): code for code in after}
    done = False
    for found in gc.get_objects():
        if isinstance(found, FunctionType) and found.__code__.co_filename == path:
            code = swapped.get((found.__code__.co_qualname, found.__code__.co_firstlineno))
            if code is not None and code.co_freevars == found.__code__.co_freevars:
                found.__code__ = code
                done = True
    return done


def _run(given: Job) -> bool:
    """In a process of its own: whether a test failed with this error.

    It is planted in the functions as they are loaded; what lies outside any function, in a copy of the tree.
    """
    mutant, tests = given
    if not tests:
        return False
    if mutant.now == mutant.was or planted(mutant):
        return _failed(ROOT, tests)
    return _in_a_copy(mutant, tests)


def _in_a_copy(mutant: Mutant, tests: list[str]) -> bool:
    copy = COPIES / str(os.getpid())
    for name in [name for name in sys.modules if name.partition(".")[0] in ("escuadra", "tests")]:
        del sys.modules[name]
    # The same files, but for the one that is changed.
    shutil.copytree(COPIES / "tree", copy, copy_function=os.link, symlinks=True)
    (copy / mutant.path).unlink()
    (copy / mutant.path).write_text(mutant.text)
    sys.dont_write_bytecode = True
    try:
        return _failed(copy, tests)
    finally:
        os.chdir("/")
        shutil.rmtree(copy, ignore_errors=True)


def _failed(tree: Path, tests: list[str]) -> bool:
    os.chdir(tree)
    sys.path[:] = [str(tree), *(p for p in sys.path if Path(p).resolve() not in (ROOT, ROOT / "bench"))]
    loaded = "ignore:Module already imported:pytest.PytestAssertRewriteWarning"
    quiet = ["-x", "-q", "-n0", "-W", loaded, "-p", "no:cacheprovider", f"--rootdir={tree}"]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        return pytest.main([*quiet, *tests]) != pytest.ExitCode.OK


def _alone(job: Job) -> None:
    """Ends its process with what became of an error; what it starts is of its own group, and ends with it."""
    os.setpgid(0, 0)
    os._exit(FOUND if _run(job) else SURVIVED)


def ended_of(jobs: Iterable[Job]) -> Iterator[tuple[Mutant, bool]]:
    """Every error as its tests end, so many at once as there are processors.

    One that ends its process or never ends is found too. Processes are forked from this thread alone, one for each: a
    pool forgets what a killed process was about, and waits for it for ever.
    """
    todo, running = iter(jobs), Running()
    try:
        yield from _ended_of(todo, running)
    finally:
        # Also where it is stopped: nothing that it started runs on.
        for process, _, _ in running.values():
            _end(process)


def _end(process: ForkProcess) -> None:
    """A process and all that it started."""
    assert process.pid is not None
    # By itself too: it may not have come to a group of its own yet.
    process.kill()
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)


def _ended_of(todo: Iterator[Job], running: Running) -> Iterator[tuple[Mutant, bool]]:
    while True:
        for job in itertools.islice(todo, (os.cpu_count() or 1) - len(running)):
            process = FORK.Process(target=_alone, args=(job,))
            process.start()
            running[process.sentinel] = process, job[0], time.monotonic()
        if not running:
            return
        for ready in multiprocessing.connection.wait(list(running), timeout=5):
            assert isinstance(ready, int)
            process, mutant, _ = running.pop(ready)
            process.join()
            if process.exitcode not in (FOUND, SURVIVED) and process.exitcode >= 0:  # type: ignore[operator]
                raise SystemExit(f"{mutant.path}:{mutant.line}: could not be tried")
            yield mutant, process.exitcode != SURVIVED
        for process, _, begun in running.values():
            if time.monotonic() - begun > MOST_SECONDS * PATIENCE:
                _end(process)


def main(rooms: list[str]) -> int:
    """Run the samples and tell what was found; 1 where a room is below its share."""
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(1))
    made()
    left_out = shutil.ignore_patterns(".git", ".venv", ".*_cache", ".hypothesis", "node_modules", "data", "__pycache__")
    shutil.copytree(ROOT, COPIES / "tree", ignore=left_out)
    (COPIES / "tree/node_modules").symlink_to(ROOT / "node_modules")
    sys.path.insert(0, str(ROOT))
    for module in pkgutil.walk_packages([str(ROOT / "escuadra")], "escuadra."):
        if "migrations" not in module.name:
            importlib.import_module(module.name)
    kept = coverage.CoverageData(str(DATA))
    kept.read()
    times = times_taken()
    failed = False
    samples = {room: sampled(room, COUNT) for room in rooms}
    for room, sample in samples.items():
        begun, (_, least) = time.monotonic(), ROOMS[room]
        jobs = [(mutant, tests_of(kept, times, mutant, room)) for mutant in sample]
        sound = [(replace(m, text=(ROOT / m.path).read_text(), now=m.was), tests) for m, tests in jobs if tests]
        for mutant, killed in ended_of(sound[:CONTROLS]):
            if killed:
                raise SystemExit(f"{mutant.path}:{mutant.line}: its tests fail with no error planted")
        ended = list(ended_of(jobs))
        found = sum(killed for _, killed in ended)
        share = found / len(ended)
        failed |= share < least
        bound = bounds.least(found, len(ended))
        print(f"{room}: {found} of {len(ended)} found = {share:.3f} (above {bound:.3f}; wanted {least:.2f}),", end=" ")
        print(f"{time.monotonic() - begun:.0f} s")
        for mutant, _ in sorted((one for one in ended if not one[1]), key=lambda one: (one[0].path, one[0].line)):
            print(f"  survived {mutant.path}:{mutant.line}: {mutant.was!r} -> {mutant.now!r}", flush=True)
    shutil.rmtree(COPIES, ignore_errors=True)
    return int(failed)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:] or list(ROOMS)))
