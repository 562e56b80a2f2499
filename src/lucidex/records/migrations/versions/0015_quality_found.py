"""the quality that was found for a file under its ceiling"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"


def upgrade() -> None:
    op.add_column("result", sa.Column("quality", sa.SmallInteger(), nullable=True))


def downgrade() -> None:
    op.drop_column("result", "quality")
