"""Sessions and migrations."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker

from meanbead.store.notices import keep_notices

MIGRATIONS = Path(__file__).parent / "migrations"


def plain_url(url: str) -> str:
    """A database address without SQLAlchemy's driver, as psycopg takes it."""
    return url.replace("postgresql+psycopg://", "postgresql://", 1)


class NewerData(RuntimeError):
    """The data folder was made by a newer Mean Bead."""


class Database:
    """The connection pool and the sessions made from it."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.engine: Engine = create_engine(url, pool_size=8, max_overflow=8, pool_pre_ping=True)
        self.session: sessionmaker[Session] = sessionmaker(self.engine, expire_on_commit=False)

    def migrate(self) -> None:
        """Bring the schema to the newest version; nothing happens when it is there already. Raises :class:`NewerData` where
        a newer Mean Bead has made it."""
        with self.engine.begin() as connection:
            config = alembic_config()
            stands = MigrationContext.configure(connection).get_current_revision()
            known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
            if stands is not None and stands not in known:
                raise NewerData(
                    "A newer Mean Bead has worked in this data folder; this one would damage it. Use the newer one, or "
                    "another folder with --data."
                )
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
            keep_notices(connection)

    def close(self) -> None:
        """Give all connections back."""
        self.engine.dispose()


def alembic_config() -> Config:
    """Alembic's configuration, without a file."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    return config
