"""What follows from a state, worked out once, and what each result was worked out from.

While a result is made, every field and every slot of the state that is looked at notes that by itself, so that nobody
can forget what a result depends on. A derivation that follows another takes over what nothing that changed since went
into, and what was made with results that were worked out anew and are what they were. It remembers nothing beyond
itself: the earlier one is given, and the sheet is the same without it.
"""

from collections.abc import Callable, Hashable, Iterator, Mapping
from dataclasses import dataclass, fields
from typing import Any, Generic, TypeVar, overload

from escuadra.core.visit.log.state import Entry, State

T = TypeVar("T")
Seen = tuple[str, str]
"""What was looked at: a field of the state and nothing, or the entries and one of their slots."""
FIELDS = frozenset(field.name for field in fields(State)) - {"entries"}
NAMES: Seen = ("entries", "")
"""Which slots hold anything."""
ALL: Seen = ("*", "")
EVERYTHING = 1
"""Its bit."""
TIME, STATIONS = ("at", ""), ("stations", "")
PLAIN = (str, int, float, bool, frozenset)


Key = tuple[Callable[..., Any], tuple[Hashable, ...]]


@dataclass(frozen=True, slots=True, eq=False)
class Result:
    """What was worked out, what of the state was looked at for it, and the results that it was made with."""

    key: Key
    value: Any
    seen: int
    """A bit for each, as the derivation numbers them."""
    own: int
    """What was looked at for it alone, and not for a result that it was made with."""
    parts: tuple["Result", ...]
    """In the order in which they were asked for."""


class _Making:
    """A result that is being made."""

    __slots__ = ("own", "parts", "seen")

    def __init__(self) -> None:
        self.seen = self.own = 0
        self.parts: dict[Result, None] = {}


class _Notes:
    """What is being made at the moment, the innermost last: what is looked at is noted there."""

    __slots__ = ("bits", "open")

    def __init__(self, bits: Mapping[Seen, int]) -> None:
        self.open: list[_Making] = []
        self.bits = {ALL: EVERYTHING, **bits}
        """What was ever looked at, each its own bit: what a result saw is one number, quickly joined and compared."""

    def bit(self, seen: Seen) -> int:
        found = self.bits.get(seen)
        if found is None:
            found = self.bits[seen] = 1 << len(self.bits)
        return found

    def see(self, seen: Seen) -> None:
        if self.open:
            self.open[-1].own |= self.bit(seen)


class SeenEntries(Mapping[str, tuple[Entry, ...]]):
    """A state's entries, noting which slots are looked at."""

    def __init__(self, entries: Mapping[str, tuple[Entry, ...]], note: Callable[[Seen], None]) -> None:
        self._entries, self._note = entries, note

    def __getitem__(self, slot: str) -> tuple[Entry, ...]:
        self._note(("entries", slot))
        return self._entries[slot]

    def __iter__(self) -> Iterator[str]:
        self._note(NAMES)
        return iter(self._entries)

    def __len__(self) -> int:
        self._note(NAMES)
        return len(self._entries)


class SeenState(State):
    """A state that notes what is looked at."""

    def __init__(self, state: State, note: Callable[[Seen], None]) -> None:
        object.__setattr__(self, "_state", state)
        object.__setattr__(self, "_note", note)
        object.__setattr__(self, "_entries", SeenEntries(state.entries, note))

    def __getattribute__(self, name: str) -> Any:
        own = object.__getattribute__
        if name == "entries":
            return own(self, "_entries")
        if name in FIELDS:
            own(self, "_note")((name, ""))
            return getattr(own(self, "_state"), name)
        return own(self, name)

    @property
    def whole(self) -> State:
        """The state itself; everything in it counts as looked at."""
        own = object.__getattribute__
        own(self, "_note")(ALL)
        found: State = own(self, "_state")
        return found


def changes(before: State, after: State) -> frozenset[Seen]:
    """What of a state is not what it was."""
    changed = {(name, "") for name in FIELDS if getattr(before, name) != getattr(after, name)}
    if before.entries.keys() != after.entries.keys():
        changed.add(NAMES)
    slots = before.entries.keys() | after.entries.keys()
    changed |= {("entries", s) for s in slots if before.entries.get(s) != after.entries.get(s)}
    return frozenset(changed | {ALL})


def same(one: Any, other: Any) -> bool:
    """A result is what it was: the same thing, or plain values that are equal. Of anything else that is not asked."""
    if one is other:
        return True
    if type(one) is not type(other):
        return False
    if type(one) in PLAIN:
        return bool(one == other)
    if type(one) in (tuple, list):
        return len(one) == len(other) and all(map(same, one, other))
    # In their order, too: whoever goes through them goes that way.
    return type(one) is dict and list(one) == list(other) and all(map(same, one.values(), other.values()))


class Derivation:
    """One derivation from a state: what it worked out, each once."""

    def __init__(self, state: State, at: int | None, before: "Derivation | None" = None) -> None:
        """``at``: UTC milliseconds, for what is too old by the clock; ``None``: nothing is.

        ``before``: the derivation that this one follows, of the same visit by the same plan.
        """
        self._given, self._at = state, at
        self._notes: _Notes = _Notes(before._notes.bits if before is not None else {})
        self.state: State = SeenState(state, self._notes.see)
        self._known: dict[Key, Result] = {}
        self._open = self._notes.open
        self._taken: list[Result] = []
        self._takes_notes = True
        self._stations: tuple[Any, ...] = ()
        self._earlier: Mapping[Key, Result] = before._known if before is not None else {}
        self._changed = 0
        if before is not None:
            self._change(*changes(before._given, state))
            if before._at != at:
                self._change(TIME)
        self._before_stations = before._stations if before is not None else ()

    @property
    def at(self) -> int | None:
        """UTC milliseconds of what is too old by the clock; ``None``: nothing is."""
        self._notes.see(TIME)
        return self._at

    @property
    def stations(self) -> tuple[Any, ...]:
        """The stations of the procedure (``StationView``), where it has any."""
        self._notes.see(STATIONS)
        return self._stations

    def at_stations(self, stations: tuple[Any, ...]) -> None:
        """How far the procedure was run, before anything is worked out from that."""
        self._stations = stations
        if stations != self._before_stations:
            self._change(STATIONS)

    def _change(self, *changed: Seen) -> None:
        for seen in changed:
            self._changed |= self._notes.bit(seen)

    def once(self, make: Callable[..., T], *given: Hashable) -> T:
        """What a function makes of the derivation and of values, worked out once.

        A function and not a closure: what was worked out elsewhere and only caught up would go unnoticed.
        """
        key = (make, given)
        found = self._known.get(key)
        if found is None:
            found = self._earlier.get(key)
            if found is not None and not found.seen & self._changed:
                if self._takes_notes:
                    self._taken.append(found)
            else:
                found = (self._still(found) if found is not None else None) or self._made(key)
            self._known[key] = found
        if self._open:
            self._open[-1].seen |= found.seen
            self._open[-1].parts[found] = None
        value: T = found.value
        return value

    def _still(self, found: Result) -> Result | None:
        """An earlier result, where all that it was made with is worked out anew and is what it was.

        Nothing is worked out in vain: as long as each part is what it was, the next one would be asked for too.
        """
        if found.own & self._changed:
            return None
        making = _Making()
        self._open.append(making)
        try:
            for part in found.parts:
                make, given = part.key
                if not same(self.once(make, *given), part.value):
                    return None
        except Exception:
            # Whoever makes it anew meets that too, and knows what to do about it.
            return None
        finally:
            self._open.pop()
        return Result(found.key, found.value, making.seen | found.own, found.own, tuple(making.parts))

    def _made(self, key: Key) -> Result:
        make, given = key
        if not self._takes_notes:
            return Result(key, make(self, *given), EVERYTHING, EVERYTHING, ())
        making = _Making()
        self._open.append(making)
        try:
            value = make(self, *given)
        except BaseException:
            self._open.pop()
            if self._open:
                # What failed was looked at too.
                self._open[-1].own |= making.own
                self._open[-1].seen |= making.seen
                self._open[-1].parts |= making.parts
            raise
        self._open.pop()
        return Result(key, value, making.seen | making.own, making.own, tuple(making.parts))

    def done(self) -> None:
        """The sheet is made. What is worked out later, perhaps by several at once, is not taken over.

        What was taken over keeps what it was made with: whoever asks for that finds it.
        """
        found, waiting = set(self._taken), self._taken
        while waiting:
            new = set(waiting.pop().parts) - found
            found |= new
            waiting.extend(new)
        for result in found:
            self._known.setdefault(result.key, result)
        self._takes_notes, self._earlier, self._taken = False, {}, []

    def forget(self) -> None:
        """Let go of what was worked out; whoever asks again has it worked out again."""
        self._known = {}


class worked_out(Generic[T]):  # noqa: N801 (used as a decorator)
    """A property that a derivation works out once."""

    def __init__(self, make: Callable[[Any], T]) -> None:
        self._make, self.__doc__ = make, make.__doc__

    @overload
    def __get__(self, derivation: None, owner: type) -> "worked_out[T]": ...

    @overload
    def __get__(self, derivation: Derivation, owner: type) -> T: ...

    def __get__(self, derivation: Derivation | None, owner: type) -> "worked_out[T] | T":
        if derivation is None:
            return self
        return derivation.once(self._make)
