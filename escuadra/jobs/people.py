"""The people of a garage."""

from dataclasses import dataclass

from escuadra.core.errors import BadInput
from escuadra.core.house import PEOPLE, PersonAdded
from escuadra.jobs.command import Append, Command, Committed, Context, Decision


@dataclass(frozen=True)
class AddPerson(Command[None]):
    """Somebody works here from now on."""

    id: str
    name: str
    role: str

    def stream(self, context: Context) -> str:
        """The one of all people."""
        return PEOPLE

    def decide(self, context: Context) -> Decision[None]:
        """A further person; raises ``BadInput`` for a name that is there already, or an id that is empty."""
        people, same = context.house.store.people(), self.name.casefold()
        if not self.id:
            raise BadInput("id", "nothing", "an id for this person")
        if any(p["id"] == self.id or p["name"].casefold() == same for p in people):
            raise BadInput("name", self.name, "a name that nobody here has yet")
        said = PersonAdded(id=self.id, name=self.name, role=self.role)
        return Decision([Append(PEOPLE, len(people), said)])

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""
