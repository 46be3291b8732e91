"""Customers of the garage: listed with their visits, and erased for good."""

from escuadra.core.errors import BadInput
from escuadra.core.house import CustomerErased, customer_stream
from escuadra.jobs.forms import keyed
from escuadra.jobs.garage import Garage
from escuadra.store import dialect
from escuadra.store.customers import Customer, Customers


def customers(garage: Garage) -> list[Customer]:
    """Customers of the newest visits, erased ones too."""
    with garage.store.engine.connect() as connection:
        return Customers(connection).every()


def erase(garage: Garage, id: str, person: str, client_id: str) -> None:
    """Erase a customer's name and address; that it was done, when and by whom stays. Raises for an unknown one."""
    who = garage.person(person)
    keyed(client_id)
    if all(customer.id != id for customer in customers(garage)):
        raise BadInput("customer", id or "nobody", "a customer of this garage")
    with garage.store.writing() as log:
        log.streams.enter(customer_stream(id), "erased", garage.clock(), who, CustomerErased(id=id))
    dialect.scrub(garage.store.engine)
