"""The first schema: jobs, their append-only events, people, bays, pins and settings. Frozen as it was."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import KEEP_EVENTS, STRICT, whole

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Create everything, and the triggers that keep events as they are."""

    def key(name: str, *more: sa.ForeignKey) -> sa.Column:
        return sa.Column(name, sa.Text, *more, primary_key=True)

    def text(*names: str) -> list[sa.Column]:
        return [sa.Column(name, sa.Text, nullable=False) for name in names]

    def table(name: str, *parts: sa.Column | sa.Constraint) -> None:
        op.create_table(name, *parts, **STRICT)

    table("job", key("id"), *text("number", "stage", "head"), whole("created_at"), whole("event_count"))
    table(
        "event",
        key("job", sa.ForeignKey("job.id")),
        sa.Column("seq", sa.Integer, primary_key=True),
        *text("id", "text", "hash"),
        sa.UniqueConstraint("job", "id", name="event_once"),
    )
    table("person", key("id"), *text("name", "role"))
    table("bay", key("name"))
    table("catalogue_entry", key("hash"), *text("kind", "id", "text"), whole("revision"))
    table("setting", key("key"), *text("value"))
    for statement in KEEP_EVENTS[op.get_bind().dialect.name]:
        op.execute(statement)
