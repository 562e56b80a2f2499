"""runs and their cells"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0003"
down_revision = "0002"

MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.create_table(
        "run",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("folio_id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("pattern", sa.String(length=200), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("said", sa.String(length=400), nullable=True),
        sa.Column("created_at", MOMENT, nullable=False),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.ForeignKeyConstraint(["folio_id"], ["folio.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("run_by_folio", "run", ["folio_id", "id"])
    op.create_index("run_by_state", "run", ["state"])
    op.create_table(
        "cell",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("seat", sa.BigInteger(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("place_id", sa.BigInteger(), nullable=False),
        sa.Column("snapshot_id", sa.BigInteger(), nullable=False),
        sa.Column("path", sa.String(length=400), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("attempt", sa.BigInteger(), nullable=False),
        sa.Column("holder", sa.CHAR(length=32), nullable=True),
        sa.Column("lease_until", MOMENT, nullable=True),
        sa.Column("blob_sha256", sa.CHAR(length=64), nullable=True),
        sa.Column("byte_count", sa.BigInteger(), nullable=True),
        sa.Column("said", sa.String(length=400), nullable=True),
        sa.Column("ended_at", MOMENT, nullable=True),
        sa.CheckConstraint("attempt >= 0", name="cell_attempt"),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["picture_id"], ["picture.id"]),
        sa.ForeignKeyConstraint(["place_id"], ["place.id"]),
        sa.ForeignKeyConstraint(["snapshot_id"], ["snapshot.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("run_id", "path", name="cell_path"),
    )
    op.create_index("cell_by_run", "cell", ["run_id", "state", "id"])
