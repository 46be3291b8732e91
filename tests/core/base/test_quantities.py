"""What people type: exact tables of texts and their meaning."""

import pytest

from escuadra.core.base.errors import BadInput
from escuadra.core.base.quantities import Quantity, Question, parse, understand
from tests.english import refused, told

LENGTHS = [
    ("2643.5", 2643.5),
    ("2 643.5", 2643.5),
    ("2\u202f643,5 mm", 2643.5),
    ("264.35 cm", 2643.5),
    ("2,6435 m", 2643.5),
    ("104 1/16 in", 2643.1875),
    ('104 1/16"', 2643.1875),
    ("8' 8 1/16\"", 2643.1875),
    ("8 ft 8 1/16 in", 2643.1875),
    ("1/2 in", 12.7),
    (".5 m", 500.0),
    ("−12.5", -12.5),
    ("+7", 7.0),
    ("26.5CM", 265.0),
]
ANGLES = [
    ("0.25°", 0.25),
    ("0,25", 0.25),
    ("15'", 0.25),
    ("0°15'30\"", 0.25 + 30 / 3600),
    ("1° 30'", 1.5),
    ("-0.1 deg", -0.1),
    ("30″", 30 / 3600),
    ("1.5 mm over 406", 0.21168295130816),
    ("−1,5mm/406 mm", -0.21168295130816),
]
SLOPES = [("0.3 %", 0.3), ("3 mm/m", 0.3), ("0.3", 0.3), ("2.5 mm/m", 0.25), ("0.1°", 0.1745329252)]
NONSENSE = [
    *("", "   ", "six", "12 apples", "1/0 in", "nan", "inf", "1e3", "12..5", "1 2 3 4", "5 in 3 ft", "2.5 1/2 in"),
    *("--4", "9" * 50, "0x10", "12;13", "½", "1 000 000 000 000", "3 m 20 cm"),
]


OTHERS = [
    ("pressure", "kPa", "240", 240.0),
    ("pressure", "kPa", "2,4 bar", 240.0),
    ("pressure", "bar", "2.4", 240.0),
    ("pressure", "kPa", "35 psi", 241.316505255),
    ("voltage", "V", "12.62 volts", 12.62),
    ("voltage", "V", "12620 mV", 12.62),
    ("mass", "kg", "92.5 lb", 41.957294225),
    ("share", "%", "85", 85.0),
    ("share", "%", "5/8 full", 62.5),
    ("temperature", "°C", "-4,5 C", -4.5),
]


@pytest.mark.parametrize(
    "dimension, unit, text, value",
    [("length", "mm", *row) for row in LENGTHS]
    + [("angle", "°", *row) for row in ANGLES]
    + [("slope", "%", *row) for row in SLOPES]
    + OTHERS,
)
def test_a_text_means(dimension: str, unit: str, text: str, value: float) -> None:
    meaning = parse(text, dimension, unit)[0]  # type: ignore[arg-type]
    assert meaning.value == pytest.approx(value, abs=1e-7)
    again = parse(meaning.text.replace("−", "-"), dimension, unit)[0]  # type: ignore[arg-type]
    assert again.value == pytest.approx(value, rel=1e-9), "what was understood reads back as itself"


@pytest.mark.parametrize("text", NONSENSE)
def test_nonsense_is_refused_with_what_was_given(text: str) -> None:
    with pytest.raises(BadInput) as caught:
        parse(text, "length", "mm")
    assert caught.value.field == "value"
    assert "2643.5" in told(caught.value)


ARCH = Quantity(dimension="length", unit="mm", low=560, high=860)


@pytest.mark.parametrize(
    "text, choices",
    [
        ("66.2", ["66.2 cm", "66.2 mm"]),
        ("0.7", ["0.7 m", "0.7 mm"]),
        ("28", ["28 in", "28 mm"]),
        ("712 m", ["712 mm"]),
        ("5", ["5 mm"]),
        ("1,234", ["1.234 mm", "1234 mm"]),
    ],
)
def test_what_is_implausible_or_ambiguous_is_asked_about(text: str, choices: list[str]) -> None:
    asked = understand(text, ARCH)
    assert isinstance(asked, Question)
    assert [choice.text for choice in asked.choices] == choices


def test_a_comma_that_could_part_thousands_is_asked_about_unless_its_unit_tells() -> None:
    tape = Quantity(dimension="length", unit="mm", low=1500, high=4000)
    asked = understand("2,643", tape)
    assert isinstance(asked, Question)
    assert [choice.value for choice in asked.choices] == [2643, 2.643] or asked.choices[0].value == 2643
    told = understand("2,643 m", tape)
    assert not isinstance(told, Question)
    assert told.value == 2643


def test_where_the_direction_is_asked_in_words_a_sign_is_refused() -> None:
    level = Quantity(dimension="angle", unit="°", low=-4, high=4)
    with refused(BadInput, match="direction is chosen in words"):
        understand("-0.2", level, signless=True)
    found = understand("0.2", level, signless=True)
    assert not isinstance(found, Question)
    assert isinstance(understand("12", level, signless=True), Question)
