"""The tables. Streams are text and hash, chained; a journal chains every append of all of them.

All else is projected from the streams in the transaction that appends, and can be made anew from them; pinned content
lies by its hash.
"""

from sqlalchemy import Column, ForeignKey, Index, Integer, MetaData, Text, UniqueConstraint

from escuadra.store.dialect import real, table, whole

metadata = MetaData()

stream = table(
    "stream",
    metadata,
    Column("id", Text, primary_key=True),
    Column("count", Integer, nullable=False),
    Column("head", Text, nullable=False),
)

entry = table(
    "entry",
    metadata,
    Column("stream", Text, ForeignKey("stream.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("id", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("hash", Text, nullable=False),
    UniqueConstraint("stream", "id", name="entry_once"),
    clustered=True,
)

journal = table(
    "journal",
    metadata,
    Column("number", Integer, primary_key=True, autoincrement=False),
    Column("stream", Text, nullable=False),
    Column("seq", Integer, nullable=False),
    Column("entry", Text, nullable=False),
    Column("hash", Text, nullable=False),
    UniqueConstraint("stream", "seq", name="journal_once"),
)

visit = table(
    "visit",
    metadata,
    Column("id", Text, primary_key=True),
    Column("stream", Text, ForeignKey("stream.id"), nullable=False),
    Column("number", Text, nullable=False, unique=True),
    whole("created_at"),
    Column("customer", Text, nullable=False),
)
Index("visit_by_time", visit.c.created_at, visit.c.id)

calibration = table(
    "calibration",
    metadata,
    Column("visit", Text, ForeignKey("visit.id"), primary_key=True),
    Column("id", Text, primary_key=True),
    Column("stage", Text, nullable=False),
    Column("sheet", Text, nullable=False),
)

residual = table(
    "residual",
    metadata,
    Column("visit", Text, ForeignKey("visit.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("calibration", Text, nullable=False),
    Column("figure", Text, nullable=False),
    real("value"),
    whole("at"),
    Column("person", Text, nullable=False),
)
"""What routines showed before they took it as zero: one row a reading that counts."""
Index("residual_by_figure", residual.c.figure, residual.c.value)

customer = table(
    "customer",
    metadata,
    Column("id", Text, primary_key=True),
    Column("name", Text, nullable=True),
    Column("address", Text, nullable=True),
    whole("erased_at", nullable=True),
    Column("visit", Text, ForeignKey("visit.id"), nullable=True),
)
"""Names and addresses: outside every stream, so that they can be erased; no event holds them.

``visit``: whose handover they acknowledged by typing their name; none for a visit's own customer.
"""

uses = table(
    "uses",
    metadata,
    Column("instrument", Text, primary_key=True),
    Column("visit", Text, ForeignKey("visit.id"), primary_key=True),
)
"""Which visits have a reading with an instrument."""

summary = table(
    "summary",
    metadata,
    Column("row", Integer, primary_key=True, autoincrement=False),
    Column("visit", Text, ForeignKey("visit.id"), nullable=False, unique=True),
    Column("open", Integer, nullable=False),
    Column("ended", Integer, nullable=False),
    Column("released", Integer, nullable=False),
    Column("handed", Text, nullable=False),
    Column("vin", Text, nullable=False),
    Column("bay", Text, nullable=False),
    Column("frame", Text, nullable=False),
    Column("words", Text, nullable=False),
    Column("name", Text, nullable=False),
)
"""One row a visit in the order in which they were begun: whether it is open, and the words said of it."""
Index("summary_open", summary.c.open, summary.c.row)

person = table(
    "person",
    metadata,
    Column("id", Text, primary_key=True),
    Column("name", Text, nullable=False),
    Column("role", Text, nullable=False),
)

bay = table(
    "bay",
    metadata,
    Column("name", Text, primary_key=True),
    Column("sheet", Text, nullable=True),
)

survey = table(
    "survey",
    metadata,
    Column("id", Text, primary_key=True),
    Column("bay", Text, ForeignKey("bay.name"), nullable=False),
    whole("begun_at"),
    Column("sheet", Text, nullable=True),
)

setting = table(
    "setting",
    metadata,
    Column("key", Text, primary_key=True),
    Column("value", Text, nullable=False),
)

pinned = table(
    "pinned",
    metadata,
    Column("hash", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("id", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("text", Text, nullable=False),
)

draft = table(
    "draft",
    metadata,
    Column("kind", Text, primary_key=True),
    Column("id", Text, primary_key=True),
    Column("title", Text, nullable=False),
    Column("vehicle", Text, nullable=False),
    Column("note", Text, nullable=False),
    Column("words", Text, nullable=False),
    Column("person", Text, nullable=False),
    whole("at"),
    Column("revision", Integer, nullable=False),
    Column("hash", Text, nullable=False),
    Column("withdrawn", Integer, nullable=False),
    Column("changed", Integer, nullable=False),
    Column("again", Text, nullable=False),
)
"""Catalogue entries that are written here: who typed last; the revision in use; whether more was typed since."""

listed = table(
    "listed",
    metadata,
    Column("visit", Text, primary_key=True),
    Column("head", Text, nullable=False),
    Column("made_by", Text, nullable=False),
    Column("text", Text, nullable=False),
)
"""What a list tells of a visit, as its stream then was: what was worked out, kept so that no list works it out again.
None where nobody looked yet; ``made_by``: the version that worked it out."""

PROJECTED = (listed, draft, residual, summary, uses, calibration, survey, visit, bay, person, setting)
"""Made from the streams, in an order in which they can be emptied."""
APPEND_ONLY = ("entry", "journal", "pinned")
