"""What was taken out of a watched folder, and by what name jobs are known outside of their data folder."""

import secrets

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"


def upgrade() -> None:
    """Note files that were taken, and give every job a random name."""
    op.create_table(
        "taken_file",
        sa.Column("content", sa.String(64), primary_key=True),
        sa.Column("name", sa.String(255), nullable=False),
        sa.Column("taken_at", sa.String(32), nullable=False),
    )
    op.add_column("tray_job", sa.Column("token", sa.String(32), nullable=False, server_default=""))
    jobs = sa.table("tray_job", sa.column("id", sa.Integer), sa.column("token", sa.String))
    connection = op.get_bind()
    for (number,) in connection.execute(sa.select(jobs.c.id)).all():
        named = sa.update(jobs).where(jobs.c.id == number).values(token=secrets.token_hex(16))
        connection.execute(named)
