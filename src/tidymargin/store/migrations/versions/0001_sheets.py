"""Sheets, steps and states."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

_STEPS = ("ground", "reach", "by_hand", "rim", "colour", "proof", "export")


def upgrade() -> None:
    """Make the first tables."""
    op.create_table(
        "step",
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("body", sa.Text, nullable=False),
    )
    op.create_table(
        "sheet",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("original", sa.String(64), nullable=False, index=True),
        sa.Column("format_name", sa.String(16), nullable=False),
        sa.Column("width", sa.Integer, nullable=False),
        sa.Column("height", sa.Integer, nullable=False),
        sa.Column("dots_per_inch", sa.Float),
        sa.Column("remarks", sa.Text, nullable=False),
        sa.Column("head_id", sa.Integer, sa.ForeignKey("state.id", name="fk_sheet_head_id")),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
    op.create_table(
        "state",
        sa.Column("id", sa.Integer, primary_key=True, autoincrement=True),
        sa.Column("sheet_id", sa.Integer, sa.ForeignKey("sheet.id"), nullable=False),
        sa.Column("parent_id", sa.Integer, sa.ForeignKey("state.id")),
        sa.Column("redo_id", sa.Integer, sa.ForeignKey("state.id")),
        *(
            sa.Column(step, sa.String(64), sa.ForeignKey("step.name"), nullable=False)
            for step in _STEPS
        ),
        sa.Column("change", sa.String(40), nullable=False),
        sa.Column("resolved", sa.Text, nullable=False),
        sa.Column("engine_version", sa.Integer, nullable=False),
        sa.Column("created_at", sa.String(32), nullable=False),
    )
    op.create_index("ix_state_sheet_id", "state", ["sheet_id"])
