"""What was exported of sheets, and settings of exports kept under names."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"


def upgrade() -> None:
    """Let exports be listed and settings be kept."""
    op.create_table(
        "export",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("sheet_id", sa.Integer, nullable=False, index=True),
        sa.Column("state_id", sa.Integer, nullable=False),
        sa.Column("files", sa.Text, nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
    op.create_table(
        "kept_export",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
