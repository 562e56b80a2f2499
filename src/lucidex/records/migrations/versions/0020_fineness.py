"""what was looked at on finished pixels, and how fine pictures are in the columns of their proof sheet"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.mysql import DOUBLE

revision = "0020"
down_revision = "0019"


def upgrade() -> None:
    # what was measured before stays behind: the keys of results say by what their files were looked at
    op.add_column("result", sa.Column("looks", sa.JSON(), nullable=True))
    op.drop_column("result", "busy_share")
    op.drop_column("result", "fineness")
    op.create_table(
        "fineness",
        sa.Column("picture_id", sa.BigInteger(), sa.ForeignKey("picture.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("output", sa.String(40), primary_key=True),
        sa.Column("place_id", sa.BigInteger(), sa.ForeignKey("place.id", ondelete="CASCADE"), nullable=False),
        sa.Column("fineness", DOUBLE(asdecimal=False), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("fineness")
    op.add_column("result", sa.Column("busy_share", DOUBLE(), nullable=True))
    op.add_column("result", sa.Column("fineness", DOUBLE(), nullable=True))
    op.drop_column("result", "looks")
