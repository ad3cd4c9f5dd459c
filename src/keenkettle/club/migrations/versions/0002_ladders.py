"""Places on ladders, what was seen toward their gates, what clips said."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the tables, and what a reviewed clip said."""
    op.add_column("clip", sa.Column("said", sa.JSON))
    athlete = sa.ForeignKey("athlete.id")
    op.create_table(
        "placement",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("athlete_id", sa.Integer, athlete, nullable=False, index=True),
        sa.Column("ladder", sa.String, nullable=False),
        sa.Column("rung", sa.Integer, nullable=False),
        sa.Column("since", sa.Date, nullable=False),
        sa.Column("act", sa.String, nullable=False),
        sa.Column("reason", sa.String, nullable=False),
        sa.Column("made_at", sa.DateTime, nullable=False),
    )
    op.create_table(
        "gate_note",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "athlete_id", sa.Integer, sa.ForeignKey("athlete.id"), nullable=False, index=True
        ),
        sa.Column("day", sa.Date, nullable=False),
        sa.Column("key", sa.String, nullable=False),
        sa.Column("value", sa.Float, nullable=False),
    )
