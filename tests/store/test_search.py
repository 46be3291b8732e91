"""Visits are found by whatever was said of them, the newest first; what was erased is found no more."""

import pytest

from escuadra.commands import Garage
from escuadra.commands.codes import FreezeCodes
from escuadra.commands.customers import EraseCustomer
from escuadra.commands.forms import press
from escuadra.commands.listing import Listed
from escuadra.commands.whole import CallOff, Correct, LeaveOut, TakeUp
from escuadra.core.visit.log.codes import CodesFrozen
from escuadra.rehearsal.technician import Technician
from tests.conftest import minibus

WHY = "because the customer asked for it"


def numbers(garage: Garage, text: str) -> list[str]:
    return [row.number for row in garage.found(text, 50) if isinstance(row, Listed)]


@pytest.fixture
def three(garage: Garage) -> list[Technician]:
    """Three visits; the first of a customer, read by two people, with a code."""
    named = ("School line Peña", "", "")
    made, clock = list[Technician](), garage.clock
    for k, name in enumerate(named):
        garage.clock = clock
        made.append(minibus(garage, number=f"S-{k}", plate=f"VH 09{k}1", customer=name))
    made[0].read("arch.LF", "712", "tape-7")
    made[1].garage.do(Correct(made[1].job, "vin", "ZZ9BL09C6RV000862", WHY), "amara", press())
    units = [{"unit": "camera_unit", "codes": [{"code": "VH-C41", "state": "active"}]}]
    told = CodesFrozen.read({"when": "before", "source": "link", "units": units})
    garage.do(FreezeCodes(made[2].job, told), "nuno", press())
    return made


@pytest.mark.parametrize(
    "text, expected",
    [
        ("", ["S-2", "S-1", "S-0"]),
        ("s-1", ["S-1"]),
        ("VH 0901", ["S-0"]),
        ("vh0901", ["S-0"]),
        ("peña school", ["S-0"]),
        ("schoo", ["S-0"]),
        ("zz9bl09", ["S-1"]),
        ("tape-7", ["S-0"]),
        ("VH-C41", ["S-2"]),
        ("nuno", ["S-2"]),
        ("teo", ["S-2", "S-1", "S-0"]),
        ("BL-CAM-01", ["S-2", "S-1", "S-0"]),
        ("teo nobody", []),
        ('"; DROP TABLE x) OR *', []),
    ],
)
def test_a_visit_is_found_by_what_was_said_of_it(
    garage: Garage, three: list[Technician], text: str, expected: list[str]
) -> None:
    assert numbers(garage, text) == expected
    garage.store.reindex()
    assert numbers(garage, text) == expected, "as its events say"


def test_an_erased_customer_is_found_no_more(garage: Garage, three: list[Technician]) -> None:
    customer = three[0].opened.state.job
    assert customer is not None
    garage.do(EraseCustomer(customer.customer), "ines", press())
    assert numbers(garage, "peña") == []
    for file in garage.data.glob("*.sqlite*"):
        kept = file.read_bytes().decode("utf-8", "ignore").lower()
        assert not {word for word in ("peña", "pena", "school") if word in kept}, file


def test_the_day_lists_what_is_open_or_was_begun_today(garage: Garage, three: list[Technician]) -> None:
    def today() -> list[str]:
        return [row.number for row in garage.of_today(50) if isinstance(row, Listed)]

    later = garage.clock() + 2 * 86_400_000
    garage.clock = lambda: later
    first, second, third = (who.job for who in three)
    assert today() == ["S-2", "S-1", "S-0"], "all are open"
    garage.do(CallOff(first, WHY), "ines", press())
    garage.do(LeaveOut(second, "1", WHY), "ines", press())
    assert today() == ["S-2", "S-1"], "what is left out is not called off: the vehicle is still here"
    garage.do(TakeUp(first, WHY), "ines", press())
    assert today() == ["S-2", "S-1", "S-0"]
    garage.do(CallOff(third, WHY), "ines", press())
    garage.store.reindex()
    garage.store.forget()
    assert today() == ["S-1", "S-0"]
    minibus(garage, number="S-9")
    assert today()[0] == "S-9"
