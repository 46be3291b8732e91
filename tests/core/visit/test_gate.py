"""The variant gate: no sheet opens before it is known which variant this very vehicle is."""

import pytest

from escuadra.catalogue import load
from escuadra.catalogue.library import PRACTICE
from escuadra.commands import Garage, TakeIn
from escuadra.commands.entries import Answer
from escuadra.commands.forms import Whole, press
from escuadra.commands.taking_in import BeginVisit
from escuadra.commands.whole import AddCalibration, AnswerVariant, Correct, TellWork
from escuadra.core.base.errors import BadInput, Conflict
from escuadra.core.procedure.profiles import VehicleModel
from escuadra.core.procedure.sheet import Procedure
from escuadra.core.visit.gate import as_it_is, gate
from escuadra.core.visit.log.whole import VariantAnswered, WorkTold
from escuadra.reports.record import build
from escuadra.words import say
from tests.english import refused

PRACTISED = load([PRACTICE])
ROADSTER: VehicleModel = PRACTISED.get("vehicle", "quillon-risco").content
SHEET: Procedure = PRACTISED.get("procedure", "QR-CAM-01").content
TWO, ONE, RAISED, LOW = "two_lenses", "one_lens", "raised", "low"
BY_VIN = {TWO: "ZZ9QR216XRV000001", ONE: "ZZ9QR214XRV000001", "": ""}


def answered(*told: tuple[str, str]) -> list[VariantAnswered]:
    """Option and source, of whichever question has the option."""
    of = {option.id: question.id for question in ROADSTER.questions for option in question.options}
    return [VariantAnswered.read({"question": of[option], "option": option, "by": by}) for option, by in told]


@pytest.mark.parametrize(
    "told, vin, variant, shut",
    [
        ([], "", None, "QR-CAM-01 does not open before this is answered: How many lenses"),
        ([(TWO, "look")], "", None, "does not open before this is answered: Which suspension"),
        ([(TWO, "look"), (LOW, "label")], "", "low_two", None),
        ([(TWO, "look"), (LOW, "label")], BY_VIN[TWO], "low_two", None),
        ([], BY_VIN[TWO], None, "does not open before"),
        ([(RAISED, "label")], BY_VIN[TWO], None, "does not open before this is answered: How many lenses"),
        ([(TWO, "look"), (LOW, "label")], BY_VIN[ONE], None, "seen: two lenses, VIN: one lens"),
        ([(TWO, "look"), (ONE, "scan"), (LOW, "label")], "", None, "seen: two lenses, scan: one lens"),
        ([(ONE, "look"), (TWO, "look"), (LOW, "label")], "", "low_two", None),
        ([(ONE, "look"), (RAISED, "label")], "", "raised_one", "QR-CAM-01 is not for this vehicle: one lens"),
        ([("three_lenses", "look"), (LOW, "label")], "", None, "No variant of Quillon Risco"),
    ],
)
def test_a_sheet_opens_for_its_own_variant_alone(
    told: list[tuple[str, str]], vin: str, variant: str | None, shut: str | None
) -> None:
    found = gate(ROADSTER, answered(*told), vin)
    assert (found.variant.id if found.variant else None) == variant
    why = found.shuts(SHEET)
    assert (why is None) == (shut is None)
    assert shut is None or (why is not None and shut in say(why))


def test_a_variant_states_only_what_differs() -> None:
    low = as_it_is(ROADSTER, answered((TWO, "look"), (LOW, "label")), "")
    assert (low.arches.LF, low.hub_height, low.variant) == (701, 351, "all-road, road suspension, two-lens camera")
    assert low.wheelbase == ROADSTER.wheelbase
    plain = ROADSTER.model_dump(mode="json")
    for wrong in ({"when": {"camera_lenses": ["five"]}}, {"when": {"colour": ["red"]}}):
        with refused(BadInput, match="a question and an option of this model"):
            VehicleModel.read({**plain, "variants": [{"id": "x", "name": "x", **wrong}]})
    with refused(BadInput):
        VehicleModel.read(
            {**plain, "variants": [{"id": "x", "name": "x", "when": {}, "differs": {"arches": {"LF": -1}}}]}
        )


def test_nothing_is_entered_before_the_gate_is_passed_and_the_sheet_is_the_variants_own(garage: Garage) -> None:
    asked = {"number": "G-1", "reason": "camera replaced", "bay": "Norte", "vehicle": ROADSTER.id, "frame": "galga-2"}
    begun: Whole = garage.do(BeginVisit(TakeIn.read(asked)), "teo", "begin")
    id = begun.row.id

    def answer(question: str, option: str, by: str) -> None:
        garage.do(AnswerVariant(id, question, option, by), "teo", press())

    with refused(Conflict, match="does not open before"):
        garage.do(AddCalibration(id, "QR-CAM-01"), "teo", press())
    for question, option, by in (("x", TWO, "look"), ("camera_lenses", LOW, "look"), ("suspension", LOW, "hearsay")):
        with refused(BadInput):
            answer(question, option, by)
    answer("camera_lenses", TWO, "look")
    answer("suspension", RAISED, "label")
    done = WorkTold.read({"done": [{"act": "replaced", "part": "windscreen"}]})
    garage.do(TellWork(id, done), "teo", press())
    garage.do(AddCalibration(id, "QR-CAM-01"), "teo", press())
    assert garage.open(id).sheet.plan.vehicle.arches.LF == 741
    answer("suspension", LOW, "label")
    assert garage.open(id).sheet.plan.vehicle.arches.LF == 701, "the sheet follows the answer"
    garage.do(Correct(id, "vin", BY_VIN[ONE], "read again off the windscreen"), "teo", press())
    record = build(garage.open(id), garage.person("ines"), garage.clock(), "")
    assert [(one.option, one.by, one.person) for one in record.answers][1:] == [
        ({"en": "raised (RS-A)", "es": "elevada (RS-A)"}, "label", "Teo Marchena"),
        ({"en": "road (RS-C)", "es": "de carretera (RS-C)"}, "label", "Teo Marchena"),
    ]
    assert [say(why) for why in record.because] == ["windscreen replaced"]
    assert [(one.field, one.value) for one in record.corrections] == [("vin", BY_VIN[ONE])]
    with refused(Conflict, match="contradict each other"):
        garage.do(Answer(id, "printed.day", "2025-11-02"), "teo", press())


def test_visits_with_the_same_answers_share_no_plan_where_a_number_contradicts_them(garage: Garage) -> None:
    heights = []
    for k, vin in enumerate((BY_VIN[ONE], BY_VIN[TWO])):
        asked = {"number": f"G-{k}", "reason": "camera replaced", "bay": "Norte", "procedure": "QR-CAM-01", "vin": vin}
        id = garage.do(BeginVisit(TakeIn.read({**asked, "frame": "galga-2"})), "teo", press()).row.id
        for question, option in (("camera_lenses", TWO), ("suspension", LOW)):
            garage.do(AnswerVariant(id, question, option, "look"), "teo", press())
        heights.append(garage.open(id).sheet.plan.vehicle.arches.LF)
    assert heights == [741, 701], "the first is of no variant, and its sheet is shut"
    garage.do(Correct(id, "vin", BY_VIN[ONE], "read again off the windscreen"), "teo", press())
    assert garage.open(id).sheet.plan.vehicle.arches.LF == 741
