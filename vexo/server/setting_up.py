"""Making the data folder and its database ready."""

from __future__ import annotations

import os
from pathlib import Path

from .data_folder import data_folder, make_data_folder


def set_up(data: Path | None = None) -> Path:
    """Start Django on a data folder; make the folder and bring its database up to date where that is needed."""
    if data is not None:
        os.environ["VEXO_DATA"] = str(data.absolute())
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "vexo.server.settings")
    make_data_folder()
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection
    from django.db.migrations.executor import MigrationExecutor

    executor = MigrationExecutor(connection)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        call_command("migrate", verbosity=0)
    return data_folder()
