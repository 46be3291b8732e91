"""A form read off the models: words become the entry that they say, each complaint stands at its field."""

from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType

import pytest

from escuadra.catalogue import Catalogue
from escuadra.core.authoring.fields import Asked, every, form_of, unit_of
from escuadra.core.authoring.life import EntryBegun, EntryLooked, EntryReleased, EntryTyped, fold_entry
from escuadra.core.authoring.usual import USUAL, unusual
from escuadra.core.authoring.writing import Fields, Written, read, words_of, written
from escuadra.core.base.entry import FigureSource
from escuadra.core.base.errors import BadInput
from escuadra.core.base.stream import Event, Payload, Person, made
from escuadra.core.procedure.assumed import TRACK_SHARE, U_TRACK_MM
from escuadra.core.procedure.entries import KINDS
from tests.english import told

TEO, INES = (Person(id=id, name=id.title()) for id in ("teo", "ines"))


def typed_again(
    catalogue: Catalogue,
    kind: str,
    id: str,
    other: Mapping[str, str] = MappingProxyType({}),
    unknown: Sequence[str] = (),
) -> Written:
    """An entry of the catalogue as it would be typed, with other words for some fields."""
    content, form = catalogue.get(kind, id).content, form_of(KINDS[kind])
    words = words_of(form, content.model_dump(mode="json", exclude_none=True))
    texts = {**words.texts, **other}
    return written(kind, form, Fields(texts, words.parts), {"id": id, "revision": content.revision}, unknown)


def test_every_practice_entry_is_what_its_words_say(catalogue: Catalogue) -> None:
    for (kind, id), entry in catalogue.entries.items():
        says = typed_again(catalogue, kind, id)
        assert says.content == entry.content, (id, [(one.way, told(one.what)) for one in says.findings])


def test_what_is_usual_is_asked_of_fields_that_there_are_and_holds_for_ours(catalogue: Catalogue) -> None:
    codes = {asked.code for model in KINDS.values() for asked in every(form_of(model))}
    assert set(USUAL) <= codes
    for kind, id in catalogue.entries:
        says = typed_again(catalogue, kind, id)
        assert [one.way for one in unusual(form_of(KINDS[kind]), says, {})] == []


@pytest.mark.parametrize(
    ("name", "description", "held", "unit"),
    [
        ("u_hub_mm", "", "", "mm"),
        ("tilt_deg", "of the board, its top away positive", "", "°"),
        ("front_toe", "of each front wheel, degrees, toe-in positive", "", "°"),
        ("along", "percent, rising forward positive", "", "%"),
        ("minus", "", "°", "°"),
        ("height", "of the vehicle's roof", "", "mm"),
        ("sag_per_kg", "of the beam's end for a target that hangs there, mm a kilogram", "", "mm"),
        ("yaw_deg_per_turn", "of the beam for a turn clockwise", "", "°"),
        ("radius_min", "of a bend that still counts as straight, m", "", "m"),
        ("near_min", "from the garage to its near end", "", "min"),
        ("resolution", "smallest step that can be read, mm or degrees", "", ""),
    ],
)
def test_a_figures_unit_is_read_off_its_field(name: str, description: str, held: str, unit: str) -> None:
    assert unit_of(name, description, held) == unit


@pytest.mark.parametrize(
    ("unit", "typed", "value"),
    [
        ("mm", "264 cm", 2640.0),
        ("mm", "10 3/8 in", 263.525),
        ("mm", "−13,2 cm", -132.0),
        ("°", "15'", 0.25),
        ("kPa", "2.4 bar", 240.0),
        ("km", "8.5 km", 8.5),
        ("", "0.74", 0.74),
    ],
)
def test_a_figure_is_typed_in_the_unit_that_stands_there(unit: str, typed: str, value: float) -> None:
    assert read(Asked("f", "figure", unit=unit), typed) == pytest.approx(value)


@pytest.mark.parametrize(
    ("asked", "typed", "wanted"),
    [
        (Asked("f", "figure", unit="mm"), "93 kg", "length"),
        (Asked("f", "figure", unit="mm"), "2,640", "one meaning: 2.64 mm or 2640 mm"),
        (Asked("f", "figure", unit="km"), "8 miles", "a figure in km"),
        (Asked("f", "choice", choices=("left", "right")), "port", "one of left, right"),
        (Asked("f", "table", holds="figure", unit="min"), "battery 20", "a colon"),
        (Asked("f", "whole"), "4.5", "whole number"),
    ],
)
def test_what_cannot_be_meant_is_refused_in_words(asked: Asked, typed: str, wanted: str) -> None:
    with pytest.raises(BadInput) as refused:
        read(asked, typed)
    assert wanted in told(refused.value)


@pytest.mark.parametrize(
    ("other", "ways"),
    [
        ({"distance": "93.5 kg"}, {"distance"}),
        ({"datum": ""}, {"datum"}),
        ({"checks.square.limits.minus": "−1"}, {"checks.square.limits.minus"}),
        ({"checks.square.kind": "squarish"}, {"checks.square.kind"}),
        ({"checks.level.id": "square"}, {"checks"}),
        ({"mounting.target": "", "height": "0"}, {"mounting.target", "height"}),
    ],
)
def test_each_complaint_stands_at_its_field(catalogue: Catalogue, other: dict[str, str], ways: set[str]) -> None:
    says = typed_again(catalogue, "procedure", "BL-RAD-01", other)
    assert says.content is None
    assert {one.way for one in says.findings} == ways


@pytest.mark.parametrize(
    ("typed", "doubt", "told_of"),
    [("93.5", False, "cm or in?"), ("93.5 mm", True, "Unusual"), ("20 m", True, "")],
)
def test_a_slip_of_the_unit_shows_itself(catalogue: Catalogue, typed: str, doubt: bool, told_of: str) -> None:
    says = typed_again(catalogue, "procedure", "BL-RAD-01", {"distance": typed})
    (one,) = unusual(form_of(KINDS["procedure"]), says, {"distance": typed})
    assert (one.way, one.doubt) == ("distance", doubt)
    assert told_of in told(one.what)


def test_what_nobody_knows_has_a_usual_value_that_is_less_sure(catalogue: Catalogue) -> None:
    unknown = ["hub_track_front", "hub_track_rear", "marks.u_symmetry_mm"]
    says = typed_again(catalogue, "vehicle", "quillon-risco", {"hub_track_front": ""}, unknown)
    known, model = catalogue.get("vehicle", "quillon-risco").content, says.content
    assert model is not None
    assert model.assumed == sorted(unknown)
    assert model.hub_track_front == round(TRACK_SHARE * known.outline.width)  # type: ignore[attr-defined]
    assert abs(model.hub_track_rear - known.hub_track_rear) < 2 * U_TRACK_MM  # type: ignore[attr-defined]
    assert model.u_hub_mm == U_TRACK_MM / 2 > known.u_hub_mm  # type: ignore[attr-defined]
    assert model.marks.u_symmetry_mm > known.marks.u_symmetry_mm  # type: ignore[attr-defined]
    bare = typed_again(catalogue, "vehicle", "quillon-risco", {"outline.width": ""}, unknown)
    assert "outline.width" in {one.way for one in bare.findings}
    assert typed_again(catalogue, "target", "RP-1", {}, ["width"]).content is None, (
        "a target's width is known or it is none"
    )


def told_events(*said: tuple[Payload, Person]) -> Iterator[Event]:
    """Events of an entry's stream, in their order."""
    for k, (payload, who) in enumerate(said, 1):
        yield made("entry/target/X", k, f"e{k}", 1000 * k, who, payload)


def test_a_life_is_what_its_stream_tells() -> None:
    source = FigureSource(document="Handbook", page="12", day="2026-11-03")
    begun = EntryBegun(kind="target", id="X", fields={"name": "Board", "width": "80 cm"})
    typed = EntryTyped(fields={"width": "806 mm"}, source=source)
    beside = EntryTyped(beside={"width": "810 mm"})
    settled = EntryTyped(fields={"width": "810 mm"}, settled=["width"])
    looked = EntryLooked(upto=4)
    released = EntryReleased(revision=1, hash="0" * 64)
    events = list(
        told_events((begun, TEO), (typed, TEO), (beside, INES), (settled, TEO), (looked, INES), (released, INES))
    )
    states = [fold_entry(events[:upto]) for upto in range(1, 7)]
    assert [state.stage for state in states] == ["draft"] * 4 + ["checked", "released"]
    assert states[1].fields["width"].source == source
    assert [one.text for one in states[2].rivals["width"]] == ["810 mm"], "both people's words are there"
    assert states[2].text("width") == "806 mm"
    assert (states[3].rivals, states[3].text("width")) == ({}, "810 mm")
    assert set(states[4].authors) == {"teo", "ines"}
    assert (states[5].authors, states[5].released.revision) == ({}, 1)  # type: ignore[union-attr]
    again = fold_entry([*events, made("entry/target/X", 7, "e7", 9000, TEO, EntryTyped(fields={"name": "B"}))])
    assert again.stage == "draft", "it is written on; the revision is in use meanwhile"
    assert again.released is not None
