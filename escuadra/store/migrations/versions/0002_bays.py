"""Bays get their sheets, and floor surveys are kept entry by entry; frozen as it was."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import STRICT, whole

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Add the sheet of a bay (the hash of its pinned revision), surveys and their entries."""
    op.add_column("bay", sa.Column("sheet", sa.Text, nullable=True))
    op.create_table(
        "survey",
        sa.Column("id", sa.Text, primary_key=True),
        sa.Column("bay", sa.Text, sa.ForeignKey("bay.name"), nullable=False),
        whole("begun_at"),
        sa.Column("sheet", sa.Text, nullable=True),
        **STRICT,
    )
    op.create_table(
        "survey_entry",
        sa.Column("survey", sa.Text, sa.ForeignKey("survey.id"), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("id", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.UniqueConstraint("survey", "id", name="survey_entry_once"),
        **STRICT,
    )
