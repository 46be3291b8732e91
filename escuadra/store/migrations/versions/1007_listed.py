"""What a list tells of each visit."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import STRICT

revision = "1007"
down_revision = "1006"


def upgrade() -> None:
    """Create the rows; each is written when its visit is next changed or listed."""
    op.create_table(
        "listed",
        sa.Column("visit", sa.Text, primary_key=True),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("head", "made_by", "text")),
        **STRICT,
    )
