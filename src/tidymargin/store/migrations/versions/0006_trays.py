"""Trays with what their sheets share, and exports of all that is in one."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Let sheets lie in trays, and trays be written."""
    op.create_table(
        "tray",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("head_id", sa.Integer),
        sa.Column("created_at", sa.String(32), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "tray_state",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("tray_id", sa.Integer, sa.ForeignKey("tray.id"), nullable=False, index=True),
        sa.Column("parent_id", sa.Integer),
        sa.Column("recipe", sa.Text, nullable=False),
        sa.Column("change", sa.String(40), nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
        sqlite_autoincrement=True,
    )
    op.add_column("sheet", sa.Column("tray_id", sa.Integer))
    op.add_column("sheet", sa.Column("tray_state_id", sa.Integer))
    op.create_table(
        "tray_export",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("tray_id", sa.Integer, nullable=False, index=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "tray_job",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column(
            "export_id", sa.Integer, sa.ForeignKey("tray_export.id"), nullable=False, index=True
        ),
        sa.Column("sheet_id", sa.Integer, nullable=False),
        sa.Column("stem", sa.String(200), nullable=False),
        sa.Column("original", sa.String(64), nullable=False),
        sa.Column("recipe", sa.Text, nullable=False),
        sa.Column("engine_version", sa.Integer, nullable=False),
        sa.Column("state", sa.String(16), nullable=False),
        sa.Column("said", sa.Text, nullable=False),
        sa.Column("report", sa.Text, nullable=False),
        sqlite_autoincrement=True,
    )
