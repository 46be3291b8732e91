"""The first schema that is kept: append-only entries with their journal, what is projected from them, pins. Frozen."""

from typing import Any

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import CLUSTERED, STRICT, keep, whole

revision = "1002"
down_revision = None


def upgrade() -> None:
    """Create everything, and the triggers that keep what was appended as it is."""

    def key(name: str, *more: sa.ForeignKey) -> sa.Column[Any]:
        return sa.Column(name, sa.Text, *more, primary_key=True)

    def text(*names: str) -> list[sa.Column[Any]]:
        return [sa.Column(name, sa.Text, nullable=False) for name in names]

    def number(name: str, primary: bool = False) -> sa.Column[Any]:
        return sa.Column(name, sa.Integer, primary_key=primary, nullable=False, autoincrement=False)

    def table(name: str, *parts: sa.Column[Any] | sa.Constraint, clustered: bool = False) -> None:
        op.create_table(name, *parts, **(CLUSTERED if clustered else STRICT))

    table("stream", key("id"), number("count"), *text("head"))
    table(
        "entry",
        key("stream", sa.ForeignKey("stream.id")),
        number("seq", primary=True),
        *text("id", "text", "hash"),
        sa.UniqueConstraint("stream", "id", name="entry_once"),
        clustered=True,
    )
    table(
        "journal",
        number("number", primary=True),
        *text("stream"),
        number("seq"),
        *text("entry", "hash"),
        sa.UniqueConstraint("stream", "seq", name="journal_once"),
    )
    table(
        "visit",
        key("id"),
        sa.Column("stream", sa.Text, sa.ForeignKey("stream.id"), nullable=False),
        sa.Column("number", sa.Text, nullable=False, unique=True),
        whole("created_at"),
        *text("customer"),
    )
    optional = [sa.Column(name, sa.Text, nullable=True) for name in ("name", "address")]
    of = sa.Column("visit", sa.Text, sa.ForeignKey("visit.id"), nullable=True)
    table("customer", key("id"), *optional, whole("erased_at", nullable=True), of)
    op.create_index("visit_by_time", "visit", ["created_at", "id"])
    table("calibration", key("visit", sa.ForeignKey("visit.id")), key("id"), *text("stage"))
    table("uses", key("instrument"), key("visit", sa.ForeignKey("visit.id")))
    table("person", key("id"), *text("name", "role"))
    table("bay", key("name"), sa.Column("sheet", sa.Text, nullable=True))
    table(
        "survey",
        key("id"),
        sa.Column("bay", sa.Text, sa.ForeignKey("bay.name"), nullable=False),
        whole("begun_at"),
        sa.Column("sheet", sa.Text, nullable=True),
    )
    table("setting", key("key"), *text("value"))
    table("pinned", key("hash"), *text("kind", "id"), number("revision"), *text("text"))
    for statement in keep(op.get_bind().dialect.name):
        op.execute(statement)
