"""Customers: names and addresses outside every stream, found by id, erasable."""

from dataclasses import dataclass

from sqlalchemy import Connection, insert, select

from escuadra.store.tables import customer, visit


@dataclass(frozen=True)
class Customer:
    """A customer, and the visits that refer to them; name and address are none once they were erased."""

    id: str
    name: str | None
    address: str | None
    erased_at: int | None
    visits: tuple[tuple[str, str], ...]
    """Id and number of each, the newest first."""


class Customers:
    """The customers within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def add(self, id: str, name: str, address: str) -> None:
        """Keep a name and an address."""
        self.connection.execute(insert(customer).values(id=id, name=name, address=address))

    def every(self, limit: int = 500) -> list[Customer]:
        """Those of the newest visits."""
        query = select(customer, visit.c.id, visit.c.number).join(visit, visit.c.customer == customer.c.id)
        query = query.order_by(visit.c.created_at.desc(), visit.c.id).limit(limit)
        found: dict[str, Customer] = {}
        for id, name, address, erased_at, visit_id, number in self.connection.execute(query):
            before = found.get(id)
            visits = (*(before.visits if before else ()), (visit_id, number))
            found[id] = Customer(id, name, address, erased_at, visits)
        return list(found.values())
