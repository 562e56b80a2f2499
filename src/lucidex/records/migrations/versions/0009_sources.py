"""what pictures and logos are made from has a key and facts of its own, apart from the stored file"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0009"
down_revision = "0008"

_KEY = mysql.VARCHAR(80, charset="ascii", collation="ascii_bin")
_DIGEST = mysql.CHAR(64, charset="ascii", collation="ascii_bin")


def upgrade() -> None:
    op.create_table(
        "source",
        sa.Column("source_key", _KEY, nullable=False),
        sa.Column("original_sha256", _DIGEST, nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("created_at", mysql.DATETIME(fsp=6), nullable=False),
        sa.ForeignKeyConstraint(["original_sha256"], ["original.sha256"]),
        sa.PrimaryKeyConstraint("source_key"),
    )
    op.create_index("source_by_original", "source", ["original_sha256"])
    op.execute("INSERT INTO source SELECT sha256, sha256, facts, created_at FROM original")
    for table in ("picture", "logo"):
        op.add_column(table, sa.Column("source_key", _KEY, nullable=True))
        op.execute(f"UPDATE {table} SET source_key = original_sha256")  # noqa: S608 - our own names
        op.alter_column(table, "source_key", existing_type=_KEY, nullable=False)
        op.create_foreign_key(f"{table}_source", table, "source", ["source_key"], ["source_key"])
        for held in sa.inspect(op.get_bind()).get_foreign_keys(table):
            if held["constrained_columns"] == ["original_sha256"]:
                op.drop_constraint(str(held["name"]), table, type_="foreignkey")
    # the new key first: an index over person_id is needed throughout by its own foreign key
    op.create_unique_constraint("logo_once_by_source", "logo", ["person_id", "source_key"])
    op.drop_constraint("logo_once", "logo", type_="unique")
    op.execute("ALTER TABLE logo RENAME INDEX logo_once_by_source TO logo_once")
    op.drop_column("picture", "original_sha256")
    op.drop_column("logo", "original_sha256")
    op.drop_column("original", "facts")


def downgrade() -> None:
    raise NotImplementedError("Pages of files cannot be told apart by an earlier version.")
