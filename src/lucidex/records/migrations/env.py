"""Alembic's entry: runs the migrations on the connection that it is given."""

from typing import Literal

from alembic import context
from alembic.autogenerate.api import AutogenContext

from lucidex.records.models import Base, UtcTime


def render_item(kind: str, item: object, autogen: AutogenContext) -> str | Literal[False]:
    """A migration names the column's own type, so that it never depends on the models of another day."""
    if kind == "type" and isinstance(item, UtcTime):
        autogen.imports.add("from sqlalchemy.dialects import mysql")
        return "mysql.DATETIME(fsp=6)"
    return False


context.configure(
    connection=context.config.attributes["connection"],
    target_metadata=Base.metadata,
    compare_type=True,
    render_item=render_item,
)
with context.begin_transaction():
    context.run_migrations()
