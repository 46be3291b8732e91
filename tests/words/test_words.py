"""Languages: whole, in step with their files, and each with its own plurals, signs and order of words."""

import ast
import json
import re
import sys
from contextlib import suppress
from importlib.util import cache_from_source
from pathlib import Path
from typing import Any

import pytest
from jinja2 import Environment

import escuadra
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import (
    Angle,
    Count,
    Directed,
    Length,
    Mass,
    Name,
    Noun,
    Said,
    Sentences,
    Turns,
    Value,
    as_told,
    nouns,
    said,
    sentences,
)
from escuadra.core.visit.log.disturbances import HAPPENINGS
from escuadra.core.visit.sheet import Sheet
from escuadra.rehearsal.technician import Technician
from escuadra.words import Language, language, pages, speaking
from escuadra.words.compiled import HERE, compiled
from escuadra.words.pages import Templates
from tests.conftest import NOON
from tests.english import refused
from tests.words.pseudo import BEGIN, CODE, there_is_a_pseudo_language

CODES = [path.stem for path in sorted(HERE.glob("*.po"))]
PLACE = re.compile(r"\{(\w+)")


@pytest.mark.parametrize("code", CODES)
def test_what_is_read_at_start_is_what_the_file_says(code: str) -> None:
    assert (HERE / f"{code}.json").read_text(encoding="utf-8") == compiled(HERE / f"{code}.po"), "make words"


def places(message: str | dict[str, str]) -> set[str]:
    return set(PLACE.findall(message if isinstance(message, str) else message["other"]))


SPOKEN_ALREADY = ("move.", "read.", "next.", "blocked.", "stand.", "stand_turn.", "state.", "stage.")
"""What every language must have from its first day: what to do next, and how it stands."""


@pytest.mark.parametrize("code", [code for code in CODES if code != "en"])
def test_a_language_says_what_is_next_and_names_the_same_values(code: str) -> None:
    english, other = language().messages, language(code).messages
    assert set(other) <= set(english)
    assert [name for name in english if name.startswith(SPOKEN_ALREADY) and name not in other] == []
    for name, message in other.items():
        assert places(message) <= places(english[name]), name


SAYING = ("said", "Said", "Noun", "tell")
IN_PAGE = re.compile(r'\b(tell|tell_html|said|Noun)\(\s*"([\w.]+)"(\s*~)?')


def in_source() -> tuple[set[str], set[str], set[str]]:
    """Every text in the source, every code that is said outright, and the patterns of codes that are put together."""
    texts, codes, patterns = set[str](), set[str](), set[str]()

    def found(node: ast.expr, before: str) -> None:
        if isinstance(node, ast.IfExp):
            found(node.body, before)
            found(node.orelse, before)
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            codes.add(before + node.value)
        if isinstance(node, ast.JoinedStr):
            parts = [re.escape(str(v.value)) if isinstance(v, ast.Constant) else r"[\w.]+" for v in node.values]
            patterns.add(re.escape(before) + "".join(map(str, parts)))

    for path in sorted(Path(escuadra.__file__).parent.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Constant) and isinstance(node.value, str):
                texts.add(node.value)
            if isinstance(node, ast.JoinedStr):
                found(node, "")
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.args and node.func.id in SAYING:
                found(node.args[0], "noun." if node.func.id == "Noun" else "")
    for path in sorted(Path(escuadra.__file__).parent.rglob("*.html")):
        page = path.read_text(encoding="utf-8")
        texts |= set(re.findall(r'"([\w.]+)"', page))
        for call, text, more in IN_PAGE.findall(page):
            before = "noun." if call == "Noun" else ""
            (patterns if more else codes).add(re.escape(before + text) + r"[\w.]+" if more else before + text)
    for path in sorted(Path(escuadra.__file__).parent.rglob("*.js")):
        for code, more in re.findall(r'["`](js\.[\w.]+)(["`$])', path.read_text(encoding="utf-8")):
            (patterns if more == "$" else codes).add(re.escape(code) + r"\w+" if more == "$" else code)
    return texts, codes, patterns


def test_no_message_is_missing_and_none_is_left_over() -> None:
    texts, codes, patterns = in_source()
    messages = language().messages
    put_together = re.compile("|".join(pattern for pattern in patterns if re.match(r"\w+\\\.", pattern)))
    whole = {code.partition(":")[0] for code in messages}
    assert sorted(code for code in codes if code not in whole and "." in code) == []
    spoken = texts | codes | {f"noun.{text}" for text in texts}
    plain = {code.removesuffix(".action").removesuffix(".further") for code in whole}
    assert sorted(code for code in plain if code not in spoken and not put_together.fullmatch(code)) == []


@pytest.mark.parametrize(
    "what, english, spanish",
    [
        (said("move.slide.left", amount=Length(28.84)), "Shift the frame 28.8\u202fmm to the left.",
         "Desplace el bastidor 28,8\u202fmm a la izquierda."),
        (said("move.height.up", amount=Turns(1.0)), "Raise the target by 1.0 turns of the crank.",
         "Suba la diana 1,0 vuelta de manivela."),
        (said("move.height.up", amount=Turns(0.9)), "Raise the target by 0.9 of a turn of the crank.",
         "Suba la diana 0,9 de vuelta de manivela."),
        (said("read.tape.why", count=Count(1)), "It tells apart which of 1 reading is wrong.",
         "Distingue si está mal la lectura."),
        (said("read.tape.why", count=Count(3)), "It tells apart which of 3 readings is wrong.",
         "Distingue cuál de 3 lecturas está mal."),
        (said("read.tape.why", count=Count(1_000_000)), "It tells apart which of 1000000 readings is wrong.",
         "Distingue cuál de 1000000 lecturas está mal."),
        (said("read.expect", what=Noun("tape.LF.RF_end"), expect=Length(2643.4, 0)),
         "Then LF hub to right end reads 2\u202f643\u202fmm.",
         "Después, buje delantero izquierdo a extremo derecho da 2\u202f643\u202fmm."),
        (Directed(Angle(-0.214, 2), "roll"), "0.21° right end high", "0,21°, extremo derecho alto"),
        (Directed(Angle(-0.001, 1), "tilt"), "upright", "vertical"),
        (Turns(1.25, eighths=True), "1 1/4 turns", "1 1/4 vueltas"),
        (Mass(2), "2.0\u202fkg", "2,0\u202fkg"),
        (nouns([Noun("end.LF_end"), Name("B"), Name("C")]), "left end, B and C", "extremo izquierdo, B y C"),
        (Name({"en": "front camera", "es": "cámara delantera"}), "front camera", "cámara delantera"),
        (sentences(said("screw.above"), None, said("roll.then")), "Seen from above. Brakes on again afterwards.",
         "Visto desde arriba. Después, frenos puestos otra vez."),
        (as_told(""), "", ""),
    ],
)  # fmt: skip
def test_each_language_says_it_its_own_way(what: Said | Sentences | Value, english: str, spanish: str) -> None:
    assert (language().say(what), language("es").say(what)) == (english, spanish)


def test_what_no_language_knows_is_refused() -> None:
    with refused(BadInput, match=r"nothing\.like\.it"):
        language("es").say(said("nothing.like.it"))
    with refused(BadInput, match="unheard"):
        language("es").say(Noun("unheard"))
    for code in ("xx", "../en"):
        with refused(BadInput, match="one of en, es"):
            language(code)


def test_what_is_next_is_said_in_spanish(full: Technician) -> None:
    """Each sheet from its first reading on, all that it asks for, and what comes after each happening."""
    with there_is_a_pseudo_language():
        spanish = Language("es", json.loads((HERE / "es.json").read_text(encoding="utf-8")), language(CODE))
        told: set[str] = set()

        def tell(sheet: Sheet) -> None:
            move = sheet.next
            parts: list[Any] = [move.sentence, move.then, move.action, move.figure, move.expect_label, move.expect]
            parts += [view.check.called for view in sheet.checks]
            parts += [part for view in sheet.slots.values() for part in (view.slot.label, view.slot.hint)]
            told.update(map(spanish.say, parts))

        for sheet in full.garage.catalogue.all("procedure"):
            who = Technician(full.garage, NOON, "teo")
            reason = sheet.content.reasons[0]
            who.take_in(number=f"T-{sheet.id}", reason=reason, bay="Norte", procedure=sheet.id)
            tell(who.opened.sheet)
        for happening in HAPPENINGS:
            with suppress(BadInput):
                full.happen(happening)
            tell(full.opened.sheet)
    assert sorted(text for text in told if BEGIN in text) == []


def test_pages_are_compiled_once_for_a_language_and_anew_where_their_words_changed(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept = tmp_path / "kept"
    monkeypatch.setattr(sys, "pycache_prefix", str(kept))
    monkeypatch.setattr(sys, "dont_write_bytecode", False)
    (page := tmp_path / "a.html").write_text('{{ tell("page.tabs.visit") }}|{{ 1 + 1 }}', encoding="utf-8")
    made: list[str] = []
    plain = Environment.compile

    def counted(environment: Environment, *of: Any, **how: Any) -> Any:
        made.append(str(of[1]))
        return plain(environment, *of, **how)

    monkeypatch.setattr(Environment, "compile", counted)

    def shown(code: str) -> str:
        with speaking(code):
            return Templates(tmp_path).get_template("a.html").render()

    first = shown("en")
    folder = Path(cache_from_source(pages.__file__)).parent
    assert made == ["a.html"]
    assert not folder.exists(), "where nothing can be written it is compiled each time"
    folder.mkdir(parents=True)
    assert (shown("en"), shown("en"), len(made)) == (first, first, 2)
    assert shown("es") != first
    assert (shown("en"), len(made)) == (first, 3)
    page.write_text(page.read_text(encoding="utf-8").replace("visit", "codes"), encoding="utf-8")
    assert shown("en") != first
    monkeypatch.setattr(pages, "say", lambda said: "the words of tomorrow")
    assert shown("en").startswith("the words of tomorrow|")
