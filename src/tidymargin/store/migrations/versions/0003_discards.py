"""Originals that are to be deleted."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Let it be known which originals a person wanted deleted, until they are."""
    op.create_table(
        "discard",
        sa.Column("original", sa.String(64), primary_key=True),
        sa.Column("wished_at", sa.Float, nullable=False),
    )
