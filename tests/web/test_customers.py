"""A customer's name and address: outside the log, found by id, erased for good, and the record says so."""

from pathlib import Path

from escuadra.commands import Garage
from escuadra.commands.customers import EraseCustomer, customers
from escuadra.core.base.errors import BadInput
from escuadra.reports.record import render_record
from tests.conftest import minibus
from tests.english import refused
from tests.store.test_log import only_file, tampered, wrongs
from tests.web.conftest import Visitor

NAME, STREET = "Dalmira Quencedo", "Calle del Molino 14, Valdehierro"


def bytes_of(folder: Path) -> bytes:
    return b"".join(path.read_bytes() for path in folder.rglob("*") if path.is_file())


@only_file
def test_a_name_is_in_no_event_and_no_record_and_can_be_erased(garage: Garage) -> None:
    who = minibus(garage)
    who.take_in(
        number="T-2", reason="windscreen replaced", bay="Norte", procedure="BL-CAM-01", customer=NAME, address=STREET
    )
    (kept,) = customers(garage)
    assert (kept.name, kept.address, kept.visits) == (NAME, STREET, ((who.job, "T-2"),))
    record = render_record(garage)(who.opened, garage.person("teo"), garage.clock())
    assert NAME.encode() not in record
    assert kept.id.encode() in record
    with garage.store.reading() as log:
        assert all(NAME not in event.text() and STREET not in event.text() for event in log.events(who.job))
    assert NAME.encode() in bytes_of(garage.data)
    assert wrongs(garage) == []
    for id, person, error in ((kept.id, "nobody", "chosen first"), ("x", "teo", "a customer of this garage")):
        with refused(BadInput, match=error):
            garage.do(EraseCustomer(id), person, "e")
    for _ in range(2):
        garage.do(EraseCustomer(kept.id), "ines", "e")
    (gone,) = customers(garage)
    assert (gone.name, gone.address, gone.id) == (None, None, kept.id)
    (event,) = garage.store.events(f"customer/{kept.id}")
    assert (event.person.name, event.at) == ("Inés Robledo", gone.erased_at)
    assert NAME.encode() not in bytes_of(garage.data)
    assert STREET.encode() not in bytes_of(garage.data)
    assert wrongs(garage) == []
    garage.store.reindex()
    assert customers(garage) == [gone]
    tampered(garage, "UPDATE customer SET name = 'Back again'")
    assert any("not what its stream says" in line for line in wrongs(garage))
    tampered(garage, "DELETE FROM customer")
    assert any("is gone, and nobody erased it" in line for line in wrongs(garage))


def test_the_page_lists_them_and_erases_one(garage: Garage, visitor: Visitor) -> None:
    job = {
        "number": "T-7",
        "reason": "windscreen replaced",
        "bay": "Norte",
        "procedure": "BL-CAM-01",
        "frame": "galga-2",
    }
    visitor.post("/jobs/new", {**job, "customer": NAME, "address": STREET, "entry": "e1"})
    page = visitor.client.get("/customers").text
    assert NAME in page
    assert STREET in page
    (kept,) = customers(garage)
    visitor.post("/customers", {"customer": kept.id, "entry": "e2"})
    page = visitor.client.get("/customers").text
    assert NAME not in page
    assert "erased on" in page
    assert "T-7" in page
