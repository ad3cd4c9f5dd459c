"""Notes toward gates are found by their key."""

from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add it."""
    op.create_index("ix_gate_note_key", "gate_note", ["key"])
