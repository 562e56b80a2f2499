"""devices and services outside that are set up"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0016"
down_revision = "0015"


def upgrade() -> None:
    op.create_table(
        "outside_service",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("address", mysql.VARCHAR(charset="ascii", collation="ascii_bin", length=400), nullable=False),
        sa.Column("further", sa.JSON(), nullable=False),
        sa.Column("token", sa.String(length=400), nullable=False),
        sa.Column("is_shipped", sa.Boolean(), nullable=False),
        sa.Column("is_on", sa.Boolean(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("kind", "address", name="outside_once"),
    )


def downgrade() -> None:
    op.drop_table("outside_service")
