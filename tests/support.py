"""The real register on a port of its own, and the real command line on a data folder of its own."""

from __future__ import annotations

import atexit
import json
import os
import random
import shutil
import signal
import socket
import sqlite3
import ssl
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import ExitStack, suppress
from dataclasses import dataclass
from functools import cache, cached_property, partial
from pathlib import Path
from typing import Any

import httpx

BIN = Path(sys.executable).parent
PATIENCE = float(os.environ.get("VEXO_TEST_PATIENCE", "300"))
"""Seconds that a test waits for a condition at most: enough for a machine many times slower."""
TOKEN, OFFICE = "saltmarsh-vexo-token", "saltmarsh-office-token"


_AFTER: list[Callable[[], Any]] = []


def after_module(step: Callable[[], Any]) -> None:
    """Have something done when the module's tests have ended; the last asked for is the first done."""
    _AFTER.append(step)


def clean_up() -> None:
    """After a module: what it started ends, and its folders go."""
    while _AFTER:
        _AFTER.pop()()


_AT_END: list[Callable[[], Any]] = []


def at_end(step: Callable[[], Any]) -> None:
    """Have something done when all tests of this process have ended; the last asked for is the first done."""
    _AT_END.append(step)


@atexit.register
def _end() -> None:
    clean_up()
    while _AT_END:
        _AT_END.pop()()


def temporary_folder(lasting: bool = False) -> Path:
    """A folder that is gone after the module's tests; a lasting one after all."""
    folder = Path(tempfile.mkdtemp(prefix="vexo-test-"))
    remove = partial(shutil.rmtree, folder, ignore_errors=True)
    at_end(remove) if lasting else after_module(remove)
    return folder


_ANY = random.SystemRandom()


def free_port(together: int = 1) -> int:
    """A port that is free, with those after it. None that the system gives to outgoing connections: one of these could
    take it before the server that it is for is up."""
    while True:
        port = _ANY.randrange(11_000, 32_000)
        with ExitStack() as stack, suppress(OSError):
            for at in range(together):
                stack.enter_context(socket.socket()).bind(("127.0.0.1", port + at))
            return port


def wait_until(condition: Callable[[], Any], seconds: float = PATIENCE, what: str = "it") -> Any:
    """The condition's first true value."""
    limit, pause = time.monotonic() + seconds, 0.02
    while time.monotonic() < limit:
        value = condition()
        if value:
            return value
        time.sleep(pause)
        pause = min(pause * 1.4, 0.4)
    raise AssertionError(f"{what} did not happen in {seconds} seconds")


def start(*command: str, log: Path | None = None, **environment: str) -> subprocess.Popen[bytes]:
    """A process in a group of its own, ended after the tests."""
    with log.open("ab") if log else open(os.devnull, "ab") as out:
        process = subprocess.Popen(
            command,
            env={**os.environ, **environment},
            start_new_session=True,
            stdout=out,
            stderr=out,
            stdin=subprocess.DEVNULL,
        )
    at_end(partial(kill, process))
    return process


def kill(process: subprocess.Popen[bytes], number: int = signal.SIGKILL) -> None:
    if process.poll() is None:
        os.killpg(process.pid, number)
        process.wait(120)


def answers(address: str) -> bool:
    try:
        return httpx.get(address, timeout=30, trust_env=False, verify=False).status_code < 500
    except httpx.HTTPError:
        return False


@cache
def _unused() -> ssl.SSLContext:
    """What stands for certificates where none are asked for: making one takes longer than a short question."""
    return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT)


class Register:
    """A running register, asked as its own users would."""

    def __init__(self) -> None:
        self.port = free_port()
        self.address = f"http://127.0.0.1:{self.port}"
        self.data = temporary_folder(lasting=True)
        self.set = dict.fromkeys(("trouble", "behaviour"), False)
        """What is otherwise than usual."""
        for seeded in Path(os.environ.get("VEXO_TEST_SEED", "/nowhere")).glob("*.db"):
            shutil.copy(seeded, self.data)
        command = [str(BIN / "harbour"), "serve", "--data", str(self.data), "--port", str(self.port)]
        self.process = start(*command, log=self.data / "log")
        wait_until(lambda: answers(self.address), what="the register")

    def odata(self, stage: str = "practice") -> str:
        return f"{self.address}/{stage}/odata/"

    def client(self, token: str = OFFICE, stage: str = "practice") -> httpx.Client:
        headers = {"Authorization": f"Bearer {token}"}
        return httpx.Client(base_url=self.odata(stage), headers=headers, trust_env=False, verify=_unused(), timeout=300)

    @cached_property
    def http(self) -> httpx.Client:
        """A connection of the office that is kept."""
        headers = {"Authorization": f"Bearer {OFFICE}"}
        return httpx.Client(base_url=self.address, headers=headers, trust_env=False, verify=_unused(), timeout=300)

    def get(self, path: str, stage: str = "practice", **query: str) -> Any:
        response = self.http.get(self.odata(stage) + path, params=query)
        response.raise_for_status()
        return json.loads(response.text, parse_float=str)

    def berth(self, harbour: str, berth_no: str, stage: str = "practice") -> dict[str, Any]:
        found = self.get("Berths", stage, **{"$filter": f"harbour eq '{harbour}' and berth_no eq '{berth_no}'"})[
            "value"
        ]
        return dict(found[0])

    def change(self, path: str, stage: str = "practice", **values: Any) -> None:
        """A colleague changes a record."""
        self.http.patch(self.odata(stage) + path, json=values).raise_for_status()

    def trouble(self, kind: str, times: int = 1, **more: Any) -> None:
        self._have("trouble", {"kind": kind, "times": times, **more}, usual=kind == "none")

    def behave(self, **behaviour: Any) -> None:
        """Change what the register promises; nothing named: all as usual."""
        self._have("behaviour", behaviour, usual=not behaviour)

    def _have(self, what: str, body: dict[str, Any], *, usual: bool) -> None:
        if usual and not self.set[what]:
            return
        self.http.post(f"/{what}", json=body).raise_for_status()
        self.set[what] = not usual

    @property
    def extended(self) -> bool:
        """Whether fields or choices were added, which the process keeps in its mind."""
        with sqlite3.connect(f"file:{self.data / 'live.db'}?mode=ro", uri=True) as database:
            told = "SELECT (SELECT count(*) FROM register_addedfield) + (SELECT count(*) FROM register_addedchoice)"
            return bool(database.execute(told).fetchone()[0])

    def begin_anew(self, seeds: Path) -> None:
        """Records, promises and log as they were at first."""
        self.trouble("none")
        self.behave()
        for seeded in seeds.glob("*.db"):
            overwrite(self.data / seeded.name, seeded)
        for log in self.data.glob("effects-*.log"):
            log.unlink()

    def keep(self) -> Callable[[], None]:
        """Its records and its log as they are now; called, the result puts them back."""
        folder = temporary_folder()
        names = [path.name for path in self.data.glob("*.db")]
        logs = {path: path.read_bytes() for path in self.data.glob("effects-*.log")}
        for name in names:
            overwrite(folder / name, self.data / name)

        def put_back() -> None:
            for name in names:
                overwrite(self.data / name, folder / name)
            for path in self.data.glob("effects-*.log"):
                path.write_bytes(logs.get(path, b""))

        return put_back

    def effects(self, stage: str = "practice") -> list[dict[str, Any]]:
        """Everything that was done to the records, in order."""
        log = self.data / f"effects-{stage}.log"
        return [json.loads(line) for line in log.read_text().splitlines()] if log.exists() else []


@cache
def _lasting_register() -> Register:
    return Register()


def register() -> Register:
    """One register for all tests of a module; each keeps to records of its own. The next module finds it as new."""
    if not _in_use:
        _in_use.append(_lasting_register())
        after_module(_renew_register)
    return _in_use[0]


_in_use: list[Register] = []


def _renew_register() -> None:
    one = _in_use.pop()
    seeds = os.environ.get("VEXO_TEST_SEED")
    if seeds and one.process.poll() is None and not one.extended:
        one.begin_anew(Path(seeds))
        return
    _lasting_register.cache_clear()
    kill(one.process)


def overwrite(database: Path, kept: Path) -> None:
    """Put a database back to what a kept one holds, under those who have it open."""
    with sqlite3.connect(kept) as source, sqlite3.connect(database, timeout=60) as target:
        source.backup(target)


@dataclass(frozen=True)
class Done:
    """How a command ended."""

    returncode: int
    stdout: str
    stderr: str


@cache
def template() -> Path:
    """A database without anything in it, made once and copied."""
    from vexo.server.setting_up import set_up

    folder = temporary_folder(lasting=True) / "template"
    if made := os.environ.get("VEXO_TEST_TEMPLATE"):
        shutil.copytree(made, folder)
    set_up(folder)
    from django.conf import settings
    from django.db import connections

    # Else each client of a test looks through all files of the interface before its first question.
    settings.WHITENOISE_AUTOREFRESH = True

    connections.close_all()
    with sqlite3.connect(folder / "vexo.db") as database:
        database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return folder


def use_folder(data: Path) -> None:
    """Work on another data folder from now on, in this process."""
    template()
    from django.db import connections

    from vexo.server import naming

    # Of another folder the same name may be somebody else's.
    naming._known.clear()
    connections.close_all()
    os.environ["VEXO_DATA"] = str(data)
    connections.settings["default"]["NAME"] = data / "vexo.db"


def new_folder(made: Path | None = None) -> Path:
    """A new data folder, in use; as another is, or without anything."""
    from vexo.server.data_folder import make_data_folder
    from vexo.server.moved_folder import settle_in

    made = made or template()
    data = temporary_folder() / "vexo"
    data.mkdir()
    for name in ("vexo.db", "key"):
        shutil.copy(made / name, data / name)
    use_folder(data)
    make_data_folder()
    # Its first command would take it for one that was laid out from a backup, and interrupt what is under way.
    settle_in(lambda _: None)
    return data


@cache
def connected(address: str, longest_request: float) -> Path:
    """A data folder connected to the register at an address, made once and copied."""
    folder = temporary_folder(lasting=True) / "connected"
    shutil.copytree(new_folder(), folder)
    use_folder(folder)
    from vexo.server.applications.services import Connection, connect
    from vexo.server.people.terminal import person_at_terminal

    for stage in ("live", "practice"):
        odata, pages = f"{address}/{stage}/odata/", f"{address}/{stage}/{{source}}/{{id}}/"
        wanted = Connection(f"harbour-{stage}", odata, stage, TOKEN, "", pages, "odata", longest_request)
        connect(person_at_terminal(), wanted, inside=True)
    from django.db import connections

    connections.close_all()
    with sqlite3.connect(folder / "vexo.db") as database:
        database.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return folder


class Vexo:
    """The command line on a new data folder, connected to the register; in this process unless it says otherwise."""

    def __init__(self, connect: bool = True, longest_request: float = 0.2) -> None:
        self.data = new_folder(connected(register().address, longest_request) if connect else None)
        self.files = temporary_folder()

    @classmethod
    def at(cls, data: Path) -> Vexo:
        """The command line on a data folder that others made, and may be using."""
        own = cls.__new__(cls)
        own.data = data
        return own

    def use(self) -> None:
        use_folder(self.data)

    def run(self, *arguments: str, **environment: str) -> Done:
        from click.testing import CliRunner

        from vexo.cli.main import main
        from vexo.core.wording import GROUP, MOMENT

        self.use()
        asked = ["--data", str(self.data), *arguments]
        result = CliRunner().invoke(main, asked, env=environment)
        if result.exception is not None and not isinstance(result.exception, SystemExit):
            raise result.exception
        assert not {GROUP, MOMENT} & {*result.output}, "a number or a time is still marked"
        return Done(result.exit_code, result.stdout, result.stderr)

    def process(self, *arguments: str, **environment: str) -> Done:
        """The same in a process of its own."""
        command = [str(BIN / "vexo"), "--data", str(self.data), *arguments]
        done = subprocess.run(
            command, capture_output=True, text=True, timeout=600, env={**os.environ, **environment}, check=False
        )
        return Done(done.returncode, done.stdout, done.stderr)

    def json(self, *arguments: str, code: int = 0) -> Any:
        """A command with --json, its exit code checked."""
        done = self.run(*arguments, "--json")
        assert done.returncode == code, f"exit {done.returncode}: {done.stdout} {done.stderr}"
        return json.loads(done.stdout)

    def fails(self, *arguments: str) -> str:
        """A command that cannot run: its sentence, which is not a traceback."""
        done = self.run(*arguments)
        assert done.returncode == 2, f"exit {done.returncode}: {done.stdout}"
        assert "Traceback" not in done.stderr, done.stderr
        return done.stderr
