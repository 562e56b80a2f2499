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
    op.create_table(
        "picture_origin",
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("service_id", sa.BigInteger(), nullable=True),
        sa.Column("address", sa.String(length=1000), nullable=False),
        sa.Column("address_sha256", mysql.CHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False),
        sa.Column("page_address", sa.String(length=1000), nullable=False),
        sa.Column("page_name", sa.String(length=1000), nullable=False),
        sa.Column("shown_width", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(["picture_id"], ["picture.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["service_id"], ["outside_service.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("picture_id"),
    )
    op.create_index("origin_by_address", "picture_origin", ["address_sha256"])


def downgrade() -> None:
    op.drop_table("picture_origin")
    op.drop_table("outside_service")
