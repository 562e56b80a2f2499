"""what was changed in a folio beyond one picture: its places, and several pictures at once"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0012"
down_revision = "0011"


def upgrade() -> None:
    op.create_table(
        "folio_change",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("folio_id", sa.BigInteger(), sa.ForeignKey("folio.id", ondelete="CASCADE"), nullable=False),
        sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("summary", sa.String(400), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("taken_back_at", mysql.DATETIME(fsp=6), nullable=True),
        sa.Column("moves_places", sa.Boolean(), nullable=False),
        sa.Index("folio_change_by_folio", "folio_id", "id"),
    )
    change = sa.ForeignKey("folio_change.id", ondelete="CASCADE")
    op.create_table(
        "place_move",
        sa.Column("change_id", sa.BigInteger(), change, primary_key=True, autoincrement=False),
        sa.Column(
            "place_id",
            sa.BigInteger(),
            sa.ForeignKey("place.id", ondelete="CASCADE"),
            primary_key=True,
            autoincrement=False,
        ),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("after", sa.JSON(), nullable=False),
    )
    snapshot = [
        sa.Column(name, sa.BigInteger(), sa.ForeignKey("snapshot.id", ondelete="CASCADE"), nullable=False)
        for name in ("before_id", "after_id")
    ]
    change = sa.ForeignKey("folio_change.id", ondelete="CASCADE")
    op.create_table(
        "picture_move",
        sa.Column("change_id", sa.BigInteger(), change, primary_key=True, autoincrement=False),
        sa.Column(
            "picture_id",
            sa.BigInteger(),
            sa.ForeignKey("picture.id", ondelete="CASCADE"),
            primary_key=True,
            autoincrement=False,
        ),
        *snapshot,
    )


def downgrade() -> None:
    op.drop_table("picture_move")
    op.drop_table("place_move")
    op.drop_table("folio_change")
