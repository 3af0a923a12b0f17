"""Commands that stay: serve, worker, demo."""

from __future__ import annotations

from pathlib import Path

import click

from .doing import ready
from .main import Setting


@click.command()
@click.option("--port", default=8420, show_default=True)
@click.option("--host", default="127.0.0.1", show_default=True)
@ready
def serve(setting: Setting, port: int, host: str) -> None:
    """Serve the web application."""
    import waitress

    from vexo.server.wsgi import application

    waitress.serve(application, host=host, port=port, threads=8, ident="", clear_untrusted_proxy_headers=True)


@click.command()
@click.option(
    "--queue",
    "queues",
    multiple=True,
    type=click.Choice(["reading", "planning", "passes"]),
    help="All queues by default.",
)
@ready
def worker(setting: Setting, queues: tuple[str, ...]) -> None:
    """Do jobs in the background."""
    from vexo.server.jobs.working import work

    work(queues)


@click.command()
@click.option("--port", default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), help="A folder for the demo; filled if it is new.")
@click.pass_obj
def demo(setting: Setting, port: int, data: Path | None) -> None:
    """Start Vexo with its demo, and stay until stopped."""
    from .supervising import run_demo

    run_demo(port, (data or setting.data or Path("var/demo")).absolute())
