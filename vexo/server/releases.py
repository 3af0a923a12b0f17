"""Which releases of Vexo a data folder went through, by the migrations of its database."""

from __future__ import annotations

import os
import sqlite3
import time
import zlib
from contextlib import closing
from pathlib import Path

from vexo import __version__

from .data_folder import FolderError
from .jobs.processes import GONE, is_gone

Step = tuple[str, str]
"""A migration: the application of Django's that it is of, and its name."""


def steps_of(database: Path) -> set[Step]:
    """The migrations that a database went through; empty for a new one.

    Raises:
        FolderError: where it is not a database of Vexo's.
    """
    if not database.exists() or not database.stat().st_size:
        return set()
    try:
        with sqlite3.connect(f"file:{database}?mode=ro", uri=True) as connection:
            tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
            known = "django_migrations" in tables
            rows = connection.execute("SELECT app, name FROM django_migrations").fetchall() if known else []
    except sqlite3.DatabaseError as error:
        raise FolderError(f"{database} is not a database of Vexo's ({error}). Choose another data folder.") from error
    if tables and not known:
        raise FolderError(f"{database} is not a database of Vexo's. Choose another data folder.")
    return {(app, name) for app, name in rows}


def known_steps() -> set[Step]:
    """The migrations that this release knows."""
    from django.db.migrations.loader import MigrationLoader

    return set(MigrationLoader(None).disk_migrations)


def schema_number() -> int:
    """A number for the migrations that this release knows, made of their names without loading one of them: a database
    that bears it went through these and no others."""
    import django
    from django.conf import settings

    files = Path(__file__).parent.glob("*/migrations/[0-9]*.py")
    names = sorted(f"{file.parts[-3]} {file.stem}" for file in files)
    parts = [*names, *settings.INSTALLED_APPS, repr(sorted(settings.MIGRATION_MODULES.items())), django.__version__]
    # SQLite keeps 32 bits with a sign, and 0 is a database that was not numbered.
    return zlib.crc32("\n".join(parts).encode()) % (2**31 - 1) + 1


def numbered(database: Path) -> int:
    """The number that a database bears; 0 where there is none, or no database that can be read."""
    if not database.exists():
        return 0
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            return int(connection.execute("PRAGMA user_version").fetchone()[0])
    except sqlite3.Error:
        return 0


def refuse_newer(database: Path) -> None:
    """Raises FolderError where a database went through migrations that this release does not know."""
    start_django()
    unknown = sorted(f"{app} {name}" for app, name in steps_of(database) - known_steps())
    if unknown:
        raise FolderError(
            f"{database.parent} was made by a newer version of Vexo than this one, {__version__}, or before the first "
            f"release (it has {', '.join(unknown[:3])}). Use that version, or choose another data folder."
        )


def refuse_running(database: Path) -> None:
    """Raises FolderError where a worker still works on what the database holds: it knows no other tables than those."""
    with sqlite3.connect(f"file:{database}?mode=ro", uri=True) as connection:
        if not connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'jobs_worker'").fetchone():
            # A first start was ended in the middle of its migrations.
            return
        seen = connection.execute("SELECT owner FROM jobs_worker WHERE seen_at > ?", (time.time() - GONE,)).fetchall()
    if not all(is_gone(owner) for (owner,) in seen):
        raise FolderError(
            f"A worker of the version of Vexo that {database.parent} is from is still running. Stop that version, wait "
            f"{GONE:.0f} seconds if it ran on another machine, then try again."
        )


def start_django() -> None:
    """Start Django with Vexo's settings, without touching a data folder."""
    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vexo.server.settings")
    django.setup()
