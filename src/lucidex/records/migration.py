"""Brings the schema up to date, and tells whether it agrees with the models."""

from pathlib import Path

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from sqlalchemy import Connection, Engine

from lucidex.records.models import Base


def config(connection: Connection) -> Config:
    """Alembic's settings for a connection."""
    settings = Config()
    settings.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    settings.attributes["connection"] = connection
    return settings


def migrate(engine: Engine) -> None:
    """Run all migrations that are missing."""
    with engine.begin() as connection:
        command.upgrade(config(connection), "head")


def differences(engine: Engine) -> list[object]:
    """What the models say and the migrated schema does not; empty where they agree."""
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_type": True})
        return list(compare_metadata(context, Base.metadata))
