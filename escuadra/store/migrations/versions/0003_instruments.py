"""The histories of the instruments, entry by entry; frozen as it was."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import STRICT

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Add the instruments' entries."""
    op.create_table(
        "instrument_entry",
        sa.Column("instrument", sa.Text, primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("id", sa.Text, nullable=False),
        sa.Column("text", sa.Text, nullable=False),
        sa.UniqueConstraint("instrument", "id", name="instrument_entry_once"),
        **STRICT,
    )
