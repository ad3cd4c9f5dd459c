"""Whether a clip's lift was guessed; what is kept already counts as said by the coach."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it."""
    op.add_column(
        "clip", sa.Column("lift_guessed", sa.Boolean, nullable=False, server_default=sa.false())
    )
