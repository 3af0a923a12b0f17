"""Everything the demo needs, as children that are watched, restarted and ended together."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from importlib.util import find_spec
from pathlib import Path

import click
import httpx

from vexo.server.data_folder import hold_alone, make_demo
from vexo.server.setting_up import set_up

_PATIENCE = 300.0
"""Seconds for a part to come up: a first start fills the demo's register on a slow machine."""
_GRACE = 10.0
"""Seconds that a child has to end by itself: a worker writes down where it is in less than one."""
_SETTLED = 10.0
"""Seconds after which a child that still runs has come up: it starts to answer in two or three."""
_LONGEST_PAUSE = 30.0
"""Seconds before a child that fails again and again is started once more."""


def _ending_with(parent: int) -> Callable[[], None]:
    """In a child: end when the supervisor dies, however it dies (Linux)."""

    def end_with_parent() -> None:
        if sys.platform == "linux":
            ctypes.CDLL(None).prctl(1, signal.SIGTERM)
            # It may have died between the fork and here, and would never be heard of.
            if os.getppid() != parent:
                os._exit(1)

    return end_with_parent


@dataclass
class Child:
    """One watched process."""

    name: str
    command: Sequence[str]
    environment: Mapping[str, str] = field(default_factory=dict)
    process: subprocess.Popen[bytes] | None = None
    failures: int = 0
    again_at: float = 0.0
    started_at: float = 0.0

    def alive(self) -> bool:
        """Whether it runs."""
        return self.process is not None and self.process.poll() is None

    def start(self, log: Path) -> None:
        with log.open("ab") as out:
            self.process = subprocess.Popen(  # noqa: S603
                self.command,
                stdout=out,
                stderr=out,
                stdin=subprocess.DEVNULL,
                env={**os.environ, **self.environment},
                start_new_session=True,
                preexec_fn=_ending_with(os.getpid()),  # noqa: PLW1509 - the child is single-threaded here
            )


class Supervisor:
    """Starts children, restarts the dead with back-off, and ends all of them at once."""

    def __init__(
        self, logs: Path, on_death: Callable[[int], None], clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.logs, self.on_death, self.clock = logs, on_death, clock
        self.children: list[Child] = []
        self.ending = False

    def start(self, name: str, *command: str, **environment: str) -> None:
        child = Child(name, command, environment)
        self._start(child)
        self.children.append(child)

    def _start(self, child: Child) -> None:
        child.start(self.logs / f"{child.name}.log")
        child.started_at = self.clock()

    def watch(self) -> None:
        """Until told to end."""
        while not self.ending:
            self.look_after()
            time.sleep(0.3)

    def look_after(self) -> None:
        """Notice dead children, free their leases and start them again."""
        for child in self.children:
            if child.process and child.process.poll() is not None:
                self.on_death(child.process.pid)
                child.failures = child.failures + 1 if self.clock() - child.started_at < _SETTLED else 1
                child.again_at = self.clock() + min(_LONGEST_PAUSE, 0.5 * 2**child.failures)
                click.echo(
                    f"{child.name} ended; it is started again. See {self.logs / (child.name + '.log')}", err=True
                )
                child.process = None
            if child.process is None and self.clock() >= child.again_at and not self.ending:
                self._start(child)

    def end(self) -> None:
        """One SIGTERM for all, and a kill for those still there after ten seconds."""
        self.ending = True
        running = [child.process for child in self.children if child.process and child.process.poll() is None]
        for process in running:
            _signal(process, signal.SIGTERM)
        limit = time.monotonic() + _GRACE
        for process in running:
            try:
                process.wait(max(0.0, limit - time.monotonic()))
            except subprocess.TimeoutExpired:
                _signal(process, signal.SIGKILL)


def _signal(process: subprocess.Popen[bytes], number: int) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, number)


def wait_for(address: str, alive: Callable[[], bool]) -> None:
    """Until an address answers. Raises ClickException where it does not in some minutes."""
    limit = time.monotonic() + _PATIENCE
    # Plain HTTP on this machine: no certificates to load for it.
    with httpx.Client(timeout=30, trust_env=False, verify=False) as client:  # noqa: S501
        while time.monotonic() < limit and alive():
            try:
                if client.get(address).status_code < 500:
                    return
            except httpx.HTTPError:
                pass
            time.sleep(0.05)
    raise click.ClickException(f"{address} did not come up. See the logs in the data folder.")


def _refuse_taken(ports: Sequence[int]) -> None:
    for port in ports:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                raise click.ClickException(f"Port {port} is in use. Stop what uses it, or choose another with --port.")


def run_demo(port: int, data: Path) -> None:
    """Start the register, load the demo, start Vexo and its workers; stay until SIGINT or SIGTERM."""
    if find_spec("odata_query") is None:
        raise click.ClickException(
            "The demo's register needs more packages. Install them with: pip install 'vexo[demo]'."
        )
    _refuse_taken([port, port + 1])
    os.environ["VEXO_DATA"] = str(data)
    make_demo()
    held = hold_alone()
    folder = set_up(data, click.echo)
    from vexo.server.demo.loading import is_new, load
    from vexo.server.jobs.heartbeat import forget
    from vexo.server.jobs.leases import end_leases_of_process

    register = f"http://127.0.0.1:{port + 1}"
    host = socket.gethostname()

    def died(pid: int) -> None:
        end_leases_of_process(f"{host}:{pid}")
        forget(f"{host}:{pid}")

    supervisor = Supervisor(folder / "logs", died)

    def stop(*_: object) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    programs = Path(sys.executable).parent
    vexo = str(programs / "vexo")
    try:
        records = str(data / "harbour")
        supervisor.start("register", str(programs / "harbour"), "serve", "--data", records, "--port", str(port + 1))
        environment = {"VEXO_DATA": str(folder), "VEXO_DEMO": "1", "VEXO_LOGS": "file"}
        heavy = {**environment, "POLARS_MAX_THREADS": "1"}
        supervisor.start("server", vexo, "serve", "--port", str(port), **environment)
        supervisor.start("worker", vexo, "worker", "--queue", "planning", "--queue", "reading", **environment)
        long_sheets = ("worker", "--queue", "large")
        supervisor.start("large-worker", "nice", "-n", "5", vexo, *long_sheets, **environment)
        sending = ("worker", "--queue", "exports")
        supervisor.start("send-worker", "nice", "-n", "5", vexo, *sending, **heavy)
        supervisor.start("pass-worker", "nice", "-n", "10", vexo, "worker", "--queue", "passes", **heavy)
        wait_for(register, supervisor.children[0].alive)
        if is_new():
            click.echo("Loading the demo…")
        load(register)
        wait_for(f"http://127.0.0.1:{port}/api/health", lambda: True)
        click.echo(f"Vexo is at      http://127.0.0.1:{port}/")
        click.echo(f"The register at {register}/")
        click.echo("Stop with Ctrl C.")
        supervisor.watch()
    finally:
        supervisor.end()
        os.close(held)
