"""Commands that stay: serve, worker, demo."""

from __future__ import annotations

from pathlib import Path

import click

from vexo.server.jobs.queues import ALL_QUEUES, LARGE

from .common import ready
from .main import Setting

_PROXY_HEADERS = {"x-forwarded-for", "x-forwarded-proto"}


@click.command()
@click.option("--port", default=8420, show_default=True)
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--proxy", default="", help="Address of the proxy in front, whose word on where people come from counts.")
@click.option("--demo-people", is_flag=True, envvar="VEXO_DEMO", help="Serve a folder of the demo all the same.")
@ready
def serve(setting: Setting, port: int, host: str, proxy: str, demo_people: bool) -> None:
    """Serve the web application."""
    import waitress

    from vexo.server.data_folder import data_folder, is_demo
    from vexo.server.people.services import people
    from vexo.server.wsgi import application

    if is_demo() and not demo_people:
        raise click.ClickException(
            f"{data_folder()} was made by the demo: its people sign in with a password that everyone knows. "
            "Choose another folder, or say --demo-people."
        )
    if not people():
        click.echo("Nobody can sign in yet. Make the first administrator: vexo person add NAME", err=True)
    trusted = {"trusted_proxy": proxy, "trusted_proxy_headers": _PROXY_HEADERS, "trusted_proxy_count": 1}
    waitress.serve(
        application,
        host=host,
        port=port,
        threads=8,
        ident="",
        clear_untrusted_proxy_headers=True,
        **(trusted if proxy else {}),
    )


@click.command()
@click.option(
    "--queue",
    "queues",
    multiple=True,
    type=click.Choice(ALL_QUEUES),
    help="All queues by default.",
)
@ready
def worker(setting: Setting, queues: tuple[str, ...]) -> None:
    """Do jobs in the background."""
    from vexo.core.sheets import keep_a_reader_waiting
    from vexo.server.jobs.worker import work

    if not queues or {"reading", LARGE} & set(queues):
        keep_a_reader_waiting()
    work(queues)


@click.command()
@click.option("--port", default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), help="A folder for the demo; filled if it is new.")
@click.pass_obj
def demo(setting: Setting, port: int, data: Path | None) -> None:
    """Start Vexo with its demo, and stay until stopped."""
    from .supervisor import run_demo

    run_demo(port, (data or setting.data or Path("var/demo")).absolute())
