"""For which body and lift a clip was judged."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it; what was judged before is taken as it is."""
    op.add_column("clip", sa.Column("judged_for", sa.String, nullable=True))
