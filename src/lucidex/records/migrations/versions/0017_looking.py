"""whether somebody who may only look sees originals"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"


def upgrade() -> None:
    op.add_column("folio_share", sa.Column("originals", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    op.drop_column("folio_share", "originals")
