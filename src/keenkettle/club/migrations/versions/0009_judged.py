"""For which lift and body a clip was judged."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it; what was judged before is taken as it is."""
    op.create_table(
        "judged",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("clip_id", sa.Integer, sa.ForeignKey("clip.id"), nullable=False, unique=True),
        sa.Column("stamp", sa.String, nullable=False),
    )
