"""One row a visit to search and list by, with a full-text index that follows it."""

import sqlalchemy as sa
from alembic import op

from escuadra.store.dialect import STRICT, real, searching, whole

revision = "1005"
down_revision = "1002"


def upgrade() -> None:
    """Create the rows and their index; they are filled from the streams once the schema stands."""
    text = [sa.Column(name, sa.Text, nullable=False) for name in ("handed", "vin", "bay", "frame", "words", "name")]
    op.create_table(
        "summary",
        sa.Column("row", sa.Integer, primary_key=True, autoincrement=False),
        sa.Column("visit", sa.Text, sa.ForeignKey("visit.id"), nullable=False, unique=True),
        *(sa.Column(name, sa.Integer, nullable=False) for name in ("open", "ended", "released")),
        *text,
        **STRICT,
    )
    op.add_column("calibration", sa.Column("sheet", sa.Text, nullable=False, server_default=""))
    op.create_table(
        "residual",
        sa.Column("visit", sa.Text, sa.ForeignKey("visit.id"), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("calibration", "figure")),
        real("value"),
        whole("at"),
        sa.Column("person", sa.Text, nullable=False),
        **STRICT,
    )
    op.create_index("summary_open", "summary", ["open", "row"])
    op.create_index("residual_by_figure", "residual", ["figure", "value"])
    for statement in searching(op.get_bind().dialect.name):
        op.execute(statement)
