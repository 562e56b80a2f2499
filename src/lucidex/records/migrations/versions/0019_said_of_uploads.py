"""what was said of a file when it was begun to be sent"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"


def upgrade() -> None:
    op.add_column("upload", sa.Column("said", sa.String(8_000), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("upload", "said")
