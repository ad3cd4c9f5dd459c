"""The first tables."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Make the first tables."""
    op.create_table(
        "athlete",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String, nullable=False, unique=True),
        sa.Column("sport", sa.String, nullable=False),
        sa.Column("rung", sa.String, nullable=False),
        sa.Column("caution", sa.String, nullable=False),
        sa.Column("stature_mm", sa.Float),
        sa.Column("touching_mm", sa.Float),
        sa.Column("facts", sa.JSON, nullable=False),
    )
    op.create_table(
        "clip",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "athlete_id", sa.Integer, sa.ForeignKey("athlete.id"), nullable=False, index=True
        ),
        sa.Column("path", sa.String, nullable=False),
        sa.Column("sha256", sa.String, nullable=False, index=True),
        sa.Column("filmed_on", sa.Date, nullable=False),
        sa.Column("lift", sa.String),
        sa.Column("load_kg", sa.Float),
        sa.Column("bar", sa.JSON),
        sa.Column("tracks", sa.LargeBinary),
    )
    op.create_table(
        "mark",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id"), nullable=False, index=True),
        sa.Column("joint", sa.String, nullable=False),
        sa.Column("frame", sa.Integer, nullable=False),
        sa.Column("x", sa.Float, nullable=False),
        sa.Column("y", sa.Float, nullable=False),
        sa.UniqueConstraint("clip_id", "joint", "frame"),
    )
    op.create_table(
        "finding",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id"), nullable=False, index=True),
        sa.Column("rep", sa.Integer, nullable=False),
        sa.Column("fault", sa.String, nullable=False),
        sa.Column("severity", sa.String, nullable=False),
        sa.Column("says", sa.String, nullable=False),
        sa.Column("answer", sa.String, nullable=False),
        sa.Column("answered_at", sa.DateTime),
        sa.UniqueConstraint("clip_id", "rep", "fault"),
    )
    op.create_table(
        "session",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "athlete_id", sa.Integer, sa.ForeignKey("athlete.id"), nullable=False, index=True
        ),
        sa.Column("day", sa.Date, nullable=False),
        sa.Column("text", sa.String, nullable=False),
        sa.UniqueConstraint("athlete_id", "day"),
    )
    op.create_table(
        "prescription",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "athlete_id", sa.Integer, sa.ForeignKey("athlete.id"), nullable=False, index=True
        ),
        sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id")),
        sa.Column("session_id", sa.Integer, sa.ForeignKey("session.id")),
        sa.Column("drill", sa.String, nullable=False),
        sa.Column("faults", sa.JSON, nullable=False),
        sa.Column("line", sa.String, nullable=False),
        sa.Column("worked_if", sa.String, nullable=False),
        sa.Column("made_at", sa.DateTime, nullable=False),
        sa.Column("outcome", sa.String, nullable=False),
    )


def downgrade() -> None:
    """Nothing came before."""
    raise NotImplementedError("there is no version before the first")
