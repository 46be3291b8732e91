"""Customers of the garage: listed with their visits, and erased for good."""

from dataclasses import dataclass

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.house import House
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import said
from escuadra.core.house import CustomerErased, customer_stream
from escuadra.store import dialect
from escuadra.store.repositories.customers import Customer, Customers


def name_of(house: House, id: str) -> str | None:
    """A customer's name; none once it was erased."""
    with house.store.reading() as log:
        return Customers(log.connection).name(id)


def customers(house: House) -> list[Customer]:
    """Customers of the newest visits, erased ones too."""
    with house.store.reading() as log:
        return Customers(log.connection).every()


@dataclass(frozen=True)
class EraseCustomer(Command[None]):
    """A customer's name and address are erased; that it was done, when and by whom stays."""

    customer: str

    def stream(self, context: Context) -> str:
        """The customer's."""
        return customer_stream(self.customer)

    def decide(self, context: Context) -> Decision[None]:
        """That they are gone; nothing where they were already. Raises for an unknown one."""
        found = next((c for c in customers(context.house) if c.id == self.customer), None)
        if found is None:
            raise BadInput("customer", self.customer, said("wants.customer_garage"))
        if found.erased_at is not None:
            return Decision()
        # Whoever acknowledged a handover of a customer's visits is gone with them.
        visits = set() if found.acknowledged else set(found.visits)
        others = [c for c in customers(context.house) if c.acknowledged and c.erased_at is None]
        gone = dict.fromkeys([self.customer, *(c.id for c in others if visits & set(c.visits))])
        return Decision([Append(customer_stream(id), 0, CustomerErased(id=id), None, f"+{id}") for id in gone])

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing of it stays in the file."""
        dialect.scrub(context.house.store.engine)
