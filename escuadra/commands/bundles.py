"""A bundle of catalogue entries taken in, in one step."""

import hashlib
from dataclasses import dataclass, field

from escuadra.catalogue.bundle import unpacked
from escuadra.commands.command import Append, Command, Committed, Context, Decision
from escuadra.commands.desk import form_for
from escuadra.core.authoring.life import BundleTaken, EntryTaken
from escuadra.core.authoring.writing import words_of
from escuadra.core.base.errors import Conflict
from escuadra.core.base.said import said
from escuadra.core.house import entry_stream
from escuadra.store import Content
from escuadra.store.repositories.visits import Log


@dataclass(frozen=True)
class TakeBundle(Command[int]):
    """All of a bundle that is new or changed is used from now on: all of it or nothing."""

    duty = "author"
    content: bytes = field(repr=False)

    def stream(self, context: Context) -> str:
        """A stream of the bundle's own, in which a repeated press is known."""
        return entry_stream("bundle", hashlib.sha256(self.content).hexdigest()[:16])

    def decide(self, context: Context) -> Decision[int]:
        """Each entry in its stream; raises where one is refused, or where nothing is new."""
        house, bundle = context.house, hashlib.sha256(self.content).hexdigest()
        offered = unpacked(self.content, house.catalogue)
        if any(one.state == "refused" for one in offered):
            raise Conflict(said("writing.bundle_has_refused"))
        found = [one.entry for one in offered if one.state in ("new", "changed") and one.entry is not None]
        if not found:
            raise Conflict(said("writing.bundle_has_nothing_new"))
        own = Append(self.stream(context), house.store.count(self.stream(context)), BundleTaken(bundle=bundle))
        appends, kept = [own], []
        for k, one in enumerate(found):
            content = Content.of(one.kind, one.id, one.content)
            words = words_of(form_for(one.kind), one.content.model_dump(mode="json", exclude_none=True))
            taken = EntryTaken(
                kind=one.kind,
                id=one.id,
                revision=one.revision,
                hash=content.hash,
                bundle=bundle,
                fields=words.texts,
                parts={way: list(keys) for way, keys in words.parts.items()},
                sources=one.content.sources,
                unknown=one.content.assumed,
            )
            stream = entry_stream(one.kind, one.id)
            kept.append(content)
            appends.append(Append(stream, house.store.count(stream), taken, None, f"+{k}"))

        def put(log: Log) -> None:
            for content in kept:
                log.pins.put(content)

        return Decision(appends, beside=put)

    def told(self, context: Context, committed: Committed) -> int:
        """How many entries can be chosen then."""
        return len(context.house.catalogue.entries)
