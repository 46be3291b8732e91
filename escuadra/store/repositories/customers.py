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
    acknowledged: bool = False
    """It is who acknowledged a handover, by the name that they typed."""


class Customers:
    """The customers within one transaction."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection

    def add(self, id: str, name: str, address: str, acknowledged: str | None = None) -> None:
        """Keep a name and an address; ``acknowledged``: the visit whose handover they acknowledged."""
        self.connection.execute(insert(customer).values(id=id, name=name, address=address, visit=acknowledged))

    def name(self, id: str) -> str | None:
        """Somebody's name; none once it was erased."""
        return self.connection.execute(select(customer.c.name).where(customer.c.id == id)).scalar()

    def every(self, limit: int = 500) -> list[Customer]:
        """Those of the newest visits, and who acknowledged their handovers."""
        shown = customer.c.id, customer.c.name, customer.c.address, customer.c.erased_at, customer.c.visit
        own = (visit.c.customer == customer.c.id) | (visit.c.id == customer.c.visit)
        query = select(*shown, visit.c.id, visit.c.number).join(visit, own)
        query = query.order_by(visit.c.created_at.desc(), visit.c.id).limit(limit)
        found: dict[str, Customer] = {}
        for id, name, address, erased_at, acknowledged, visit_id, number in self.connection.execute(query):
            before = found.get(id)
            visits = (*(before.visits if before else ()), (visit_id, number))
            found[id] = Customer(id, name, address, erased_at, visits, acknowledged is not None)
        return list(found.values())
