"""The people of a garage."""

from dataclasses import dataclass

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.core.base.errors import BadInput
from escuadra.core.base.said import Noun, nouns, said
from escuadra.core.house import PEOPLE, ROLES, PersonAdded


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
        """A further person; raises ``BadInput`` for an empty id, a name that is there already, or an unknown role."""
        people, same = context.house.store.people(), self.name.casefold()
        if not self.id:
            raise BadInput("id", "", said("wants.id_person"))
        if any(p["id"] == self.id or p["name"].casefold() == same for p in people):
            raise BadInput("name", self.name, said("wants.name_nobody_here_yet"))
        role = next((role for role in ROLES if role == self.role), None)
        if role is None:
            names = nouns((Noun(f"role.{one}") for one in ROLES), "comma")
            raise BadInput("role", self.role, said("wants.one_of", names=names))
        told = PersonAdded(id=self.id, name=self.name, role=role)
        return Decision([Append(PEOPLE, len(people), told)])

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""
