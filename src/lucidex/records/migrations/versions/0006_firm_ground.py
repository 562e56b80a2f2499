"""sessions, roles, scopes, a log of events; attempts that never go down; when results were used last"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0006"
down_revision = "0005"

_DIGEST = mysql.CHAR(charset="ascii", collation="ascii_bin", length=64)
_MOMENT = mysql.DATETIME(fsp=6)


def upgrade() -> None:
    op.add_column("person", sa.Column("is_admin", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("person", sa.Column("disabled_at", _MOMENT, nullable=True))
    # somebody must be able to add people: whoever was here first
    op.execute("UPDATE person SET is_admin = 1 ORDER BY id LIMIT 1")
    op.create_table(
        "sign_in",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("digest", _DIGEST, nullable=False),
        sa.Column("created_at", _MOMENT, nullable=False),
        sa.Column("seen_at", _MOMENT, nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.Column("browser", sa.String(length=120), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("digest"),
    )
    op.create_index("sign_in_by_person", "sign_in", ["person_id", "id"])
    op.create_table(
        "event",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("at", _MOMENT, nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("subject", sa.String(length=400), nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("event_by_kind", "event", ["kind", "id"])
    op.add_column("api_token", sa.Column("scope", sa.String(length=10), nullable=False, server_default="change"))
    op.add_column("api_token", sa.Column("expires_at", _MOMENT, nullable=True))
    op.add_column("folio_share", sa.Column("scope", sa.String(length=10), nullable=False, server_default="change"))
    op.add_column("cell", sa.Column("tried_from", sa.BigInteger(), nullable=False, server_default="0"))
    op.create_index("cell_by_blob", "cell", ["blob_sha256"])
    op.add_column("result", sa.Column("used_at", _MOMENT, nullable=True))
    op.execute("UPDATE result SET used_at = created_at")
    op.alter_column("result", "used_at", existing_type=_MOMENT, nullable=False)
    op.create_index("result_by_blob", "result", ["blob_sha256"])
    op.create_index("result_by_use", "result", ["used_at"])
