"""Commands that stay: serve, worker, demo."""

from __future__ import annotations

import os
import resource
import socket
from pathlib import Path
from urllib.parse import urlsplit

import click

from vexo.server.jobs.queues import ALL_QUEUES, LARGE

from .common import ready, ready_or_new
from .main import Setting

PORT = click.IntRange(1, 65535)
_CONNECTIONS = 2_000
"""Connections at once: a browser keeps six, and some may be half requests of somebody who means ill."""
_SILENT_SECONDS = 20
"""Seconds without a byte after which a connection on which nothing is asked is closed."""
_PROXY_HEADERS = {"x-forwarded-for", "x-forwarded-proto"}


@click.command()
@click.option("--port", type=PORT, default=8420, show_default=True)
@click.option("--host", default="127.0.0.1", show_default=True)
@click.option("--proxy", default="", help="Address of the proxy in front, whose word on where people come from counts.")
@click.option("--demo-people", is_flag=True, envvar="VEXO_DEMO", help="Serve a folder of the demo all the same.")
@ready_or_new
def serve(setting: Setting, port: int, host: str, proxy: str, demo_people: bool) -> None:
    """Serve the web application."""
    import waitress

    from vexo.server.data_folder import data_folder, is_demo
    from vexo.server.notices.mail import mail_server
    from vexo.server.people.services import people
    from vexo.server.people.sso_settings import sso_settings
    from vexo.server.wsgi import application

    if is_demo() and not demo_people:
        raise click.ClickException(
            f"{data_folder()} was made by the demo: its people sign in with a password that everyone knows. "
            "Choose another folder, or say --demo-people."
        )
    _refuse_address(os.environ.get("VEXO_ADDRESS", ""))
    mail_server()
    sso_settings()
    if not people():
        click.echo("Nobody can sign in yet. Make the first administrator: vexo person add NAME", err=True)
    _refuse_taken(host, port)
    _allow_connections()
    trusted = {"trusted_proxy": proxy, "trusted_proxy_headers": _PROXY_HEADERS, "trusted_proxy_count": 1}
    waitress.serve(
        application,
        host=host,
        port=port,
        threads=8,
        ident="",
        connection_limit=_CONNECTIONS,
        channel_timeout=_SILENT_SECONDS,
        cleanup_interval=5,
        asyncore_use_poll=True,
        clear_untrusted_proxy_headers=True,
        **(trusted if proxy else {}),
    )


def _allow_connections() -> None:
    """Let this process have as many files open as its connections need, where the machine lets it."""
    _, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = 2 * _CONNECTIONS
    resource.setrlimit(resource.RLIMIT_NOFILE, (wanted if most == resource.RLIM_INFINITY else min(wanted, most), most))


def _refuse_address(address: str) -> None:
    """Raises ClickException for an address that would be taken as none: people would find no server there."""
    parts = urlsplit(address)
    if address and (parts.scheme not in ("http", "https") or not parts.hostname):
        raise click.ClickException(
            f"VEXO_ADDRESS is {address!r}. Say the whole address at which people find Vexo, such as "
            "https://vexo.example.org."
        )


def _refuse_taken(host: str, port: int) -> None:
    """Raises ClickException where nothing can listen there."""
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    with socket.socket(family) as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise click.ClickException(
                f"Nothing can listen at {host} port {port}: {error.strerror or error}. Stop what uses it, or choose "
                "another with --port."
            ) from error


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
    from vexo.server.journal.way_in import set_way_in

    # A job's entries tell how it was asked for, not who started the worker.
    set_way_in("")
    if not queues or {"reading", LARGE} & set(queues):
        keep_a_reader_waiting()
    work(queues)


@click.command()
@click.option("--port", type=click.IntRange(1, 65534), default=8420, show_default=True)
@click.option("--data", type=click.Path(path_type=Path), help="A folder for the demo; filled if it is new.")
@click.pass_obj
def demo(setting: Setting, port: int, data: Path | None) -> None:
    """Start Vexo with its demo, and stay until stopped."""
    from .supervisor import run_demo

    run_demo(port, (data or setting.data or Path("var/demo")).absolute())
