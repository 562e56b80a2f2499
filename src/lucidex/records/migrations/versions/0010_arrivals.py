"""pictures brought in together keep the order in which they were chosen, whichever arrives first"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"


def upgrade() -> None:
    op.add_column("picture", sa.Column("arrival_id", sa.BigInteger(), nullable=True))
    op.add_column("picture", sa.Column("arrival_number", sa.BigInteger(), nullable=False, server_default="0"))


def downgrade() -> None:
    op.drop_column("picture", "arrival_number")
    op.drop_column("picture", "arrival_id")
