"""The settings of a garage."""

from dataclasses import dataclass

from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.core.house import SETTINGS, SettingSet


@dataclass(frozen=True)
class Set(Command[None]):
    """A setting has a value from now on."""

    key: str
    value: str

    def stream(self, context: Context) -> str:
        """The one of all settings."""
        return SETTINGS

    def decide(self, context: Context) -> Decision[None]:
        """The setting; nothing where it has that value."""
        store = context.house.store
        if store.setting(self.key, "\0") == self.value:
            return Decision()
        said = SettingSet(key=self.key, value=self.value)
        return Decision([Append(SETTINGS, store.count(SETTINGS), said)])

    def told(self, context: Context, committed: Committed) -> None:
        """Nothing more."""
