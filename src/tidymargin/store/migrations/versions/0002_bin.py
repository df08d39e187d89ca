"""A bin for sheets."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Let a sheet say when it was put into the bin."""
    op.add_column("sheet", sa.Column("binned_at", sa.String(32)))
