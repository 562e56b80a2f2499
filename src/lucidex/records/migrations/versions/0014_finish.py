"""faces of one's own, notes with answers, what is found while things are drawn onto a file"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0014"
down_revision = "0013"

_SHA256 = mysql.CHAR(charset="ascii", collation="ascii_bin", length=64)
_TIME = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column("result", sa.Column("findings", sa.JSON(), nullable=True))
    op.create_table(
        "font",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("original_sha256", _SHA256, nullable=False),
        sa.Column("name", sa.String(length=255), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("created_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["original_sha256"], ["original.sha256"], name="font_original"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("person_id", "original_sha256", name="font_once"),
    )
    op.create_table(
        "note",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("picture_id", sa.BigInteger(), nullable=False),
        sa.Column("author_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.String(length=2000), nullable=False),
        sa.Column("marks", sa.JSON(), nullable=False),
        sa.Column("settled_at", _TIME, nullable=True),
        sa.Column("settled_by", sa.BigInteger(), nullable=True),
        sa.Column("created_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(["picture_id"], ["picture.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["author_id"], ["person.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["settled_by"], ["person.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("note_by_picture", "note", ["picture_id"])
    op.create_table(
        "note_answer",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("note_id", sa.BigInteger(), nullable=False),
        sa.Column("author_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.String(length=2000), nullable=False),
        sa.Column("created_at", _TIME, nullable=False),
        sa.ForeignKeyConstraint(["note_id"], ["note.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["author_id"], ["person.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("note_answer_by_note", "note_answer", ["note_id"])


def downgrade() -> None:
    op.drop_table("note_answer")
    op.drop_table("note")
    op.drop_table("font")
    op.drop_column("result", "findings")
