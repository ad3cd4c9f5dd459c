"""Notes and measuring lines on films, events the coach set, the written review; days found fast."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add them."""
    op.add_column("clip", sa.Column("events", sa.JSON))
    op.add_column("clip", sa.Column("written", sa.String))
    op.create_table(
        "note",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id"), nullable=False, index=True),
        sa.Column("kind", sa.String, nullable=False),
        sa.Column("first", sa.Integer, nullable=False),
        sa.Column("last", sa.Integer, nullable=False),
        sa.Column("points", sa.JSON, nullable=False),
        sa.Column("text", sa.String, nullable=False),
    )
    op.create_index("ix_clip_filmed_on", "clip", ["filmed_on"])
    op.create_index("ix_session_day", "session", ["day"])
    op.create_index("ix_gate_note_day", "gate_note", ["day"])
