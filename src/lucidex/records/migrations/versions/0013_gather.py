"""groups of pictures, uploads in parts, and which upload a picture came as"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0013"
down_revision = "0012"


def _plain(length: int) -> mysql.VARCHAR:
    return mysql.VARCHAR(length, charset="ascii", collation="ascii_bin")


def upgrade() -> None:
    op.add_column("picture", sa.Column("group_name", sa.String(200), nullable=False, server_default=""))
    op.add_column("picture", sa.Column("came_as", _plain(80), nullable=True))
    op.create_unique_constraint("came_as", "picture", ["came_as"])
    op.add_column("result", sa.Column("original_sha256", mysql.CHAR(64, charset="ascii", collation="ascii_bin")))
    op.create_index("result_by_original", "result", ["original_sha256"])
    op.create_table(
        "upload",
        sa.Column("id", mysql.CHAR(32, charset="ascii", collation="ascii_bin"), primary_key=True),
        sa.Column("person_id", sa.BigInteger(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("byte_count", sa.BigInteger(), nullable=False),
        sa.Column("file_name", sa.String(255), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Column("expires_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.Index("upload_by_person", "person_id", "created_at"),
    )


def downgrade() -> None:
    op.drop_table("upload")
    op.drop_index("result_by_original", "result")
    op.drop_column("result", "original_sha256")
    op.drop_constraint("came_as", "picture", type_="unique")
    op.drop_column("picture", "came_as")
    op.drop_column("picture", "group_name")
