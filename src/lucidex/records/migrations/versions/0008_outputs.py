"""cells name their output in one text: place, part, further format"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import mysql

revision = "0008"
down_revision = "0007"

_TEXT = mysql.VARCHAR(40, charset="ascii", collation="ascii_bin")


def upgrade() -> None:
    op.add_column("cell", sa.Column("output", _TEXT, nullable=True))
    op.execute("UPDATE cell SET output = CONCAT(place_id, IF(also_format IS NULL, '', CONCAT('.', also_format)))")
    op.alter_column("cell", "output", existing_type=_TEXT, nullable=False)
    op.drop_column("cell", "also_format")


def downgrade() -> None:
    op.add_column("cell", sa.Column("also_format", sa.String(8), nullable=True))
    op.execute("UPDATE cell SET also_format = SUBSTRING_INDEX(output, '.', -1) WHERE output LIKE '%.%'")
    op.drop_column("cell", "output")
