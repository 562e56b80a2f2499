"""logos, several formats for each place of a run, pictures on which a routine is tried, how results look"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "logo",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("original_sha256", mysql.CHAR(charset="ascii", collation="ascii_bin", length=64), nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["original_sha256"], ["original.sha256"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("person_id", "original_sha256", name="logo_once"),
    )
    op.add_column("cell", sa.Column("also_format", sa.String(length=8), nullable=True))
    op.add_column("result", sa.Column("busy_share", mysql.DOUBLE(), nullable=True))
    op.add_column("result", sa.Column("fineness", mysql.DOUBLE(), nullable=True))
    op.add_column("picture", sa.Column("trial_of", sa.BigInteger(), nullable=True))
    op.create_foreign_key("picture_trial_of", "picture", "routine", ["trial_of"], ["id"], ondelete="SET NULL")
