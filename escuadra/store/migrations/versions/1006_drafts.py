"""One row a catalogue entry that is written here."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import STRICT, whole

revision = "1006"
down_revision = "1005"


def upgrade() -> None:
    """Create the rows; none of the streams has any yet."""
    op.create_table(
        "draft",
        *(sa.Column(name, sa.Text, primary_key=True) for name in ("kind", "id")),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("title", "vehicle", "note", "words", "person")),
        whole("at"),
        sa.Column("revision", sa.Integer, nullable=False),
        sa.Column("hash", sa.Text, nullable=False),
        *(sa.Column(name, sa.Integer, nullable=False) for name in ("withdrawn", "changed")),
        sa.Column("again", sa.Text, nullable=False),
        **STRICT,
    )
