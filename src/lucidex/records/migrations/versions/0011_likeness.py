"""how close a file looks to what it was made of, where its quality was searched for a ceiling"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0011"
down_revision = "0010"


def upgrade() -> None:
    op.add_column("result", sa.Column("likeness", mysql.DOUBLE(), nullable=True))


def downgrade() -> None:
    op.drop_column("result", "likeness")
