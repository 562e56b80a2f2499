"""the name that a picture came with, beside the one that it has now"""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"


def upgrade() -> None:
    op.add_column("picture", sa.Column("came_named", sa.String(255), nullable=False, server_default=""))
    op.execute("UPDATE picture SET came_named = file_name")
    op.alter_column("picture", "came_named", existing_type=sa.String(255), server_default=None, nullable=False)


def downgrade() -> None:
    op.execute("UPDATE picture SET file_name = came_named")
    op.drop_column("picture", "came_named")
