"""Numbers of sheets and states that are never given twice."""

from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Let no new sheet take the number of one that was deleted: an old page would act on it."""
    for table in ("sheet", "state"):
        own = {"sqlite_autoincrement": True}
        with op.batch_alter_table(table, recreate="always", table_kwargs=own):
            pass
