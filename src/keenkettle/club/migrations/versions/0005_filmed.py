"""How a clip was filmed, as the coach says: disc, known length, rate, facing, camera."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it."""
    op.add_column("clip", sa.Column("filmed", sa.JSON))
