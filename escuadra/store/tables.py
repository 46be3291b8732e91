"""The tables. Events are text and hash; nothing about a job is stored twice but the head of its log."""

from sqlalchemy import Column, ForeignKey, Integer, MetaData, Text, UniqueConstraint

from escuadra.store.dialect import table, whole

metadata = MetaData()

job = table(
    "job",
    metadata,
    Column("id", Text, primary_key=True),
    Column("number", Text, nullable=False),
    whole("created_at"),
    Column("stage", Text, nullable=False),
    Column("event_count", Integer, nullable=False),
    Column("head", Text, nullable=False),
)

event = table(
    "event",
    metadata,
    Column("job", Text, ForeignKey("job.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("id", Text, nullable=False),
    Column("text", Text, nullable=False),
    Column("hash", Text, nullable=False),
    UniqueConstraint("job", "id", name="event_once"),
)

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

survey_entry = table(
    "survey_entry",
    metadata,
    Column("survey", Text, ForeignKey("survey.id"), primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("id", Text, nullable=False),
    Column("text", Text, nullable=False),
    UniqueConstraint("survey", "id", name="survey_entry_once"),
)

instrument_entry = table(
    "instrument_entry",
    metadata,
    Column("instrument", Text, primary_key=True),
    Column("seq", Integer, primary_key=True),
    Column("id", Text, nullable=False),
    Column("text", Text, nullable=False),
    UniqueConstraint("instrument", "id", name="instrument_entry_once"),
)

catalogue_entry = table(
    "catalogue_entry",
    metadata,
    Column("hash", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("id", Text, nullable=False),
    Column("revision", Integer, nullable=False),
    Column("text", Text, nullable=False),
)

setting = table(
    "setting",
    metadata,
    Column("key", Text, primary_key=True),
    Column("value", Text, nullable=False),
)
