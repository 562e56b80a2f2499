"""Columns are called what they hold: a summary of a change, a message about a run or a cell."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
_TEXT = sa.String(400)


def upgrade() -> None:
    op.alter_column("snapshot", "did", new_column_name="summary", existing_type=_TEXT, existing_nullable=False)
    for table in ("run", "cell"):
        op.alter_column(table, "said", new_column_name="message", existing_type=_TEXT, existing_nullable=True)


def downgrade() -> None:
    op.alter_column("snapshot", "summary", new_column_name="did", existing_type=_TEXT, existing_nullable=False)
    for table in ("run", "cell"):
        op.alter_column(table, "message", new_column_name="said", existing_type=_TEXT, existing_nullable=True)
