"""Scenes with their histories, and states of them that were kept under a name."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"


def upgrade() -> None:
    """Add the tables of scenes."""
    op.create_table(
        "scene",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("head_id", sa.Integer),
        sa.Column("created_at", sa.String(32), nullable=False),
        sa.Column("binned_at", sa.String(32)),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "scene_state",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("scene_id", sa.Integer, sa.ForeignKey("scene.id"), nullable=False, index=True),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("scene_state.id")),
        sa.Column("redo_id", sa.Integer, sa.ForeignKey("scene_state.id")),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("change", sa.String(40), nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
        sqlite_autoincrement=True,
    )
    op.create_table(
        "scene_version",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column(
            "state_id", sa.Integer, sa.ForeignKey("scene_state.id"), nullable=False, index=True
        ),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
