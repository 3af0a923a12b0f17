"""The register's own command line."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

import click


def _start(data: Path) -> None:
    import django

    data.mkdir(parents=True, exist_ok=True)
    os.environ["HARBOUR_DATA"] = str(data)
    os.environ["DJANGO_SETTINGS_MODULE"] = "harbour.settings"
    django.setup()


def _fill(data: Path) -> None:
    """Make and seed both sets where they are not there yet; a set half made is never left under its name."""
    from django.core.management import call_command
    from django.db import connections

    from harbour.register.seed import seed

    if (data / "practice.db").exists():
        return
    for leftover in data.glob("*.db*"):
        leftover.unlink()
    call_command("migrate", verbosity=0, database="default")
    seed("default")
    with connections["default"].cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connections.close_all()
    shutil.copy(data / "live.db", data / "practice.part")
    os.replace(data / "practice.part", data / "practice.db")


_data = click.option("--data", type=click.Path(path_type=Path), default=Path("var/harbour"), help="Where records are.")


@click.group()
def main() -> None:
    """Saltmarsh Harbour Register, a stand-in application."""


@main.command()
@_data
@click.option("--port", default=8421)
@click.option("--host", default="127.0.0.1")
def serve(data: Path, port: int, host: str) -> None:
    """Serve the register; make its data where there is none."""
    _start(data)
    _fill(data)
    import waitress
    from django.core.wsgi import get_wsgi_application

    waitress.serve(
        get_wsgi_application(), host=host, port=port, threads=6, ident="", clear_untrusted_proxy_headers=True
    )


@main.command()
@_data
@click.option("--set", "name", type=click.Choice(["live", "practice"]), default="practice")
def readings(data: Path, name: str) -> None:
    """Add the shore-power readings, which are many."""
    _start(data)
    _fill(data)
    from django.conf import settings

    from harbour.register.seed import seed_readings

    seed_readings(settings.ALIAS[name])


if __name__ == "__main__":
    main()
