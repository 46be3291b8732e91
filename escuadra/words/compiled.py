"""``make words``: each language's file as the JSON that is read at start; a test makes it again and compares."""

import json
from pathlib import Path

from babel import Locale
from babel.messages.pofile import read_po

import escuadra.core.visit.checks  # noqa: F401  (registers the kinds of check that a procedure may list)
from escuadra.core.authoring.fields import every, form_of
from escuadra.core.procedure.entries import KINDS

HERE = Path(__file__).parent
CATEGORIES = ("zero", "one", "two", "few", "many", "other")


def descriptions() -> dict[str, str]:
    """What each field of a catalogue entry is called and for, as its model says it, and its choices: in English."""
    messages: dict[str, str] = {"noun.choice.yes": "yes", "noun.choice.no": "no"}
    for model in KINDS.values():
        for asked in every(form_of(model)):
            messages[f"label.{asked.code}"] = asked.label
            if asked.meaning:
                messages[f"field.{asked.code}"] = asked.meaning
            for choice in asked.choices:
                if "/" not in choice:
                    messages[f"noun.choice.{choice}"] = choice.replace("_", " ") or "—"
    return messages


def compiled(path: Path) -> str:
    """A language's file as JSON: its decimal sign, its plural rules, its messages by their codes.

    In English the fields of the catalogue's entries stand beside what the file says. Raises ``ValueError`` where a
    message has no context, or a context has two messages.
    """
    with path.open("rb") as file:
        catalog = read_po(file, locale=path.stem, abort_invalid=True)
    locale = Locale.parse(path.stem)
    rules = dict(locale.plural_form.rules)
    order = [c for c in CATEGORIES if c in rules or c == "other"]
    messages: dict[str, object] = {}
    for message in catalog:
        if not message.id:
            continue
        if not message.context or message.context in messages:
            raise ValueError(f"{path.name}: {message.id!r} has no context of its own: {message.context!r}")
        given = [message.id] if isinstance(message.id, str) else list(message.id)
        said = [message.string] if isinstance(message.string, str) else list(message.string or ())
        texts = given if path.stem == "en" else [text for text in said if text]
        if texts:
            plural = len(given) > 1
            messages[message.context] = dict(zip(order, texts, strict=True)) if plural else texts[0]
    if path.stem == "en":
        messages = {**descriptions(), **messages}
    symbols = locale.number_symbols.get("latn", locale.number_symbols)
    file_of = {"decimal": symbols["decimal"], "plural": rules, "messages": dict(sorted(messages.items()))}
    return json.dumps(file_of, ensure_ascii=False, indent=1) + "\n"


if __name__ == "__main__":
    for source in sorted(HERE.glob("*.po")):
        source.with_suffix(".json").write_text(compiled(source), encoding="utf-8")
