"""The tables. Events are text and hash; nothing about a job is stored twice but the head of its log."""

from sqlalchemy import BigInteger, Column, ForeignKey, Integer, MetaData, Table, Text, UniqueConstraint

metadata = MetaData()

job = Table(
    "job",
    metadata,
    Column("id", Text, primary_key=True),
    Column("number", Text, nullable=False),
    Column("created_at", BigInteger().with_variant(Integer, "sqlite"), nullable=False),
    Column("stage", Text, nullable=False),
    Column("event_count", Integer, nullable=False),
    Column("head", Text, nullable=False),
    sqlite_strict=True,
)

event = Table(
    "event",
    metadata,
    Column("job", Text, ForeignKey("job.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("id", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("hash", Text, nullable=False),
    UniqueConstraint("job", "id", name="event_once"),
    sqlite_strict=True,
)

person = Table(
    "person",
    metadata,
    Column("id", Text, primary_key=True),
    Column("name", Text, nullable=False),
    Column("role", Text, nullable=False),
    sqlite_strict=True,
)

bay = Table("bay", metadata, Column("name", Text, primary_key=True), sqlite_strict=True)

catalogue_entry = Table(
    "catalogue_entry",
    metadata,
    Column("hash", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("id", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("text", Text, nullable=False),
    sqlite_strict=True,
)

setting = Table(
    "setting",
    metadata,
    Column("key", Text, primary_key=True),
    Column("value", Text, nullable=False),
    sqlite_strict=True,
)
