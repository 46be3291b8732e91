"""What would keep somebody from working by a sheet is found before its release, at the field that it comes from."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pytest

from escuadra.catalogue import Catalogue
from escuadra.core.authoring.fields import form_of
from escuadra.core.authoring.soundness import Shelf, at_odds, doubts, in_the_way, strangers, undecided
from escuadra.core.authoring.writing import Fields, words_of, written
from escuadra.core.procedure.sheet import Procedure
from tests.english import told


@pytest.fixture
def shelf(catalogue: Catalogue) -> Shelf:
    vehicles = {entry.id: entry.content for entry in catalogue.all("vehicle")}
    targets = {entry.id: entry.content for entry in catalogue.all("target")}
    frames = [entry.content for entry in catalogue.all("frame")]
    stands = {entry.id: entry.content for entry in catalogue.all("stand")}
    return Shelf(vehicles, targets, frames, [entry.content for entry in catalogue.all("tool")], stands)


def sheet(catalogue: Catalogue, /, **other: Any) -> Procedure:
    found = catalogue.get("procedure", "QR-CAM-01").content.model_copy(update=other)
    assert isinstance(found, Procedure)
    return found


def test_nothing_is_wrong_with_what_ships(catalogue: Catalogue, shelf: Shelf) -> None:
    for entry in catalogue.all("procedure"):
        content = entry.content
        found = [*at_odds(content), *in_the_way(content, shelf), *doubts(content, shelf)]
        assert [(entry.id, one.way) for one in found if not one.doubt] == []


@pytest.mark.parametrize(
    ("other", "look", "ways"),
    [
        ({"distance": 2140.0}, lambda p, s: at_odds(p), ["checks.distance.limits.nominal"]),
        ({"height": 1300.0}, lambda p, s: at_odds(p), ["checks.target_height.limits.nominal"]),
        ({"distance": 500.0}, in_the_way, ["distance"]),
        ({"distance": 900.0}, in_the_way, []),
        ({"height": 2450.0}, doubts, ["height", "height"]),
        ({"offset": 1900.0}, doubts, ["offset", "offset"]),
        ({"id": "X-1"}, doubts, ["vehicle"]),
    ],
)
def test_each_doubt_stands_at_its_field(
    catalogue: Catalogue, shelf: Shelf, other: dict[str, Any], look: Callable[..., Any], ways: list[str]
) -> None:
    found = list(look(sheet(catalogue, **other), shelf))
    assert [one.way for one in found] == ways


def test_a_frame_that_reaches_is_enough(catalogue: Catalogue, shelf: Shelf) -> None:
    short = shelf.frames[0].model_copy(update={"height_range": (350.0, 1200.0)})
    found = list(doubts(sheet(catalogue), replace(shelf, frames=[short, shelf.frames[1]])))
    assert [(one.way, one.doubt) for one in found] == [("height", True)]


def test_what_no_instrument_reads_or_decides_is_told(catalogue: Catalogue, shelf: Shelf) -> None:
    none = replace(shelf, tools=[tool for tool in shelf.tools if "tape" not in tool.reads])
    assert "checks.square" in [one.way for one in doubts(sheet(catalogue), none)]
    coarse = [
        tool.model_copy(update={"contributions": tool.contributions.model_copy(update={"accuracy_constant": 30.0})})
        for tool in shelf.tools
    ]
    assert list(undecided(sheet(catalogue), shelf)) == []
    found = list(undecided(sheet(catalogue), replace(shelf, tools=coarse)))
    assert {"checks.distance", "checks.square", "checks.target_height"} <= {one.way for one in found}
    assert all(one.doubt for one in found), "it will be a dispute, not a fault of the sheet"


@pytest.mark.parametrize(
    ("way", "typed", "says"),
    [
        ("vehicle", "nobody", "quillon-risco"),
        ("mounting.target", "VT-Z", "VT-B"),
        ("mounting.side", "C", "A, B"),
        ("mounting.fixing", "glued", "both hooks"),
    ],
)
def test_what_a_sheet_names_is_there(catalogue: Catalogue, shelf: Shelf, way: str, typed: str, says: str) -> None:
    form = form_of(Procedure)
    words = words_of(form, catalogue.get("procedure", "QR-CAM-01").content.model_dump(mode="json", exclude_none=True))
    other = written("procedure", form, Fields({**words.texts, way: typed}, words.parts), {"id": "X", "revision": 1})
    (one,) = strangers(other, shelf)
    assert one.way == way
    assert says in told(one.what)


@pytest.mark.parametrize(
    ("stand", "fixing", "height", "way"),
    [
        ("ST-1", "stand", 588, []),
        ("ST-2", "stand", 588, ["stations.reflector.stand"]),
        ("ST-1", "both hooks", 588, ["stations.reflector.stand"]),
        ("ST-1", "stand", 1300, ["height"]),
    ],
)
def test_a_stand_is_there_holds_the_target_and_reaches(
    catalogue: Catalogue, shelf: Shelf, stand: str, fixing: str, height: float, way: list[str]
) -> None:
    data = catalogue.get("procedure", "BL-RAD-05").content.model_dump(mode="json")
    data["stations"][0]["stand"], data["mounting"]["fixing"], data["height"] = stand, fixing, height
    rc = shelf.targets["RC-2"].model_copy(update={"fixings": ["stand", "both hooks"]})
    shelf = replace(shelf, targets={**shelf.targets, "RC-2": rc})
    form = form_of(Procedure)
    words = words_of(form, Procedure.read(data).model_dump(mode="json", exclude_none=True))
    typed = written("procedure", form, words, {"id": "X", "revision": 1})
    found = [one.way for one in (*strangers(typed, shelf), *doubts(Procedure.read(data), shelf)) if not one.doubt]
    assert sorted({*found} & {"height", "stations.reflector.stand"}) == way
