"""States that are kept under a name."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """Let a state of a sheet have names."""
    op.create_table(
        "version",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("state_id", sa.Integer, sa.ForeignKey("state.id"), nullable=False, index=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
