"""Findings of the coach's own, with the frame on which they were seen."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it; what is kept already was found by measuring."""
    op.add_column("finding", sa.Column("seen_at", sa.Integer, nullable=True))
