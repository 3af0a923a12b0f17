"""Making the data folder and its database ready."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path

from .data_folder import DATABASE, FolderError, data_folder, first_start, make_data_folder, make_key

__all__ = ["FORMAT", "FolderError", "set_up"]

FORMAT = 5
"""The shape of a data folder, kept in the database's ``user_version``."""
_ready: set[Path] = set()


def _refuse_older(database: Path) -> None:
    if not database.exists() or not database.stat().st_size:
        return
    try:
        with sqlite3.connect(f"file:{database}?mode=ro", uri=True) as connection:
            found = connection.execute("PRAGMA user_version").fetchone()[0]
            tables = connection.execute("SELECT count(*) FROM sqlite_master").fetchone()[0]
    except sqlite3.DatabaseError as error:
        raise FolderError(f"{database} is no database of Vexo's ({error}). Choose another data folder.") from error
    if tables and found != FORMAT:
        raise FolderError(
            f"{database.parent} was made by another version of Vexo (its shape is {found}, wanted is {FORMAT}). "
            "Choose a new data folder, or move this one away."
        )


def _shape(database: Path) -> None:
    """A new database gets its shape's number before anything else, so that a first start cut short is no stranger."""
    if database.exists() and database.stat().st_size:
        return
    with sqlite3.connect(database) as connection:
        connection.execute("PRAGMA journal_mode=WAL")
        connection.execute(f"PRAGMA user_version={FORMAT}")


def set_up(data: Path | None = None) -> Path:
    """Start Django on a data folder; make the folder and bring its database up to date where that is needed.

    Raises:
        FolderError: where the folder cannot be made or was made by another version.
    """
    if data is not None:
        os.environ["VEXO_DATA"] = str(data.absolute())
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vexo.server.settings")
    make_data_folder()
    database = data_folder() / DATABASE
    if database in _ready:
        return data_folder()
    with first_start():
        _refuse_older(database)
        make_key()
        _shape(database)
        _migrate()
    _ready.add(database)
    return data_folder()


def _migrate() -> None:
    import django

    django.setup()
    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
