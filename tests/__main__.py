"""``python -m tests [MODULE ...]`` runs all test modules in some lanes; the last line counts the tests."""

from __future__ import annotations

import contextlib
import gc
import io
import json
import os
import resource
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

WEB = "web"
HERE = Path(__file__).parent
FIRST = (
    "screens",
    "supervising",
    "sturdy",
    "browser",
    "test_api",
    "settling",
    "kills",
    "home_again",
    "trips",
    "server.test_journey",
    "what_was_seen",
    "upgrades",
    "data_folder",
    "answering_refusals",
    "taking_back",
    "make_same",
    "server.test_open",
    "server.test_rights",
    "sharing",
    "renames",
    "versions",
)
ROOM_WANTED = 6 * 2**30
Counts = dict[str, int]
COUNTED = ("passed", "failed", "skipped", "cpu")


class Counting(unittest.TextTestResult):
    """Counts what succeeded one by one, so that a class that cannot begin takes nothing away."""

    succeeded = 0

    def addSuccess(self, test: unittest.TestCase) -> None:
        super().addSuccess(test)
        self.succeeded += 1


def processor_seconds() -> float:
    """What this process and those that it has waited for have taken of the processors."""
    used = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(each.ru_utime + each.ru_stime for each in used)


def run_one(name: str) -> tuple[Counts, str]:
    """Run one module in this process: its counts with the seconds of CPU that it took, and what it said."""
    said, began = io.StringIO(), processor_seconds()
    with contextlib.redirect_stderr(said), contextlib.redirect_stdout(said):
        try:
            suite = unittest.defaultTestLoader.loadTestsFromName(name)
            runner = unittest.TextTestRunner(stream=said, verbosity=1, resultclass=Counting)
            result = runner.run(suite)
        finally:
            from tests.support import clean_up

            clean_up()
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    assert isinstance(result, Counting)
    counts = {"passed": result.succeeded, "failed": failed, "skipped": len(result.skipped)}
    return {**counts, "cpu": round(processor_seconds() - began)}, said.getvalue()


def run_lane() -> None:
    """Run the modules that are named on the standard input, one after the other."""
    # What a lane holds on to are modules: they are looked through for waste a tenth as often.
    gc.set_threshold(100_000, 50, 100)
    out = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    for line in sys.stdin:
        counts, said = run_one(line.strip())
        print(json.dumps({**counts, "said": said if counts["failed"] else ""}), file=out, flush=True)


class Lane:
    """A process that runs one module after the other; one that dies is counted as failed and replaced."""

    def __init__(self) -> None:
        self.process: subprocess.Popen[str] | None = None

    def run(self, name: str) -> Counts:
        if name == WEB:
            return run_web()
        if self.process is None or self.process.poll() is not None:
            command = [sys.executable, "-m", "tests", "--lane"]
            self.process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        assert self.process.stdin and self.process.stdout
        try:
            self.process.stdin.write(f"{name}\n")
            self.process.stdin.flush()
            told = json.loads(self.process.stdout.readline())
        except (OSError, ValueError):
            print(f"{name}: its process died", flush=True)
            self.process.kill()
            self.process = None
            return {**dict.fromkeys(COUNTED, 0), "failed": 1}
        if told["failed"]:
            print(told["said"][-16_000:], flush=True)
        return {key: told[key] for key in COUNTED}

    def end(self) -> None:
        if self.process is not None and self.process.stdin:
            self.process.stdin.close()
            self.process.wait(60)


def run_web() -> Counts:
    """Run the front end's own tests."""
    report = Path(tempfile.mkdtemp()) / "report.json"
    began = processor_seconds()
    command = ["npx", "vitest", "run", "--reporter=json", f"--outputFile={report}", "--testTimeout=120000"]
    done = subprocess.run(command, cwd=HERE.parent / "web", capture_output=True, text=True, check=False)
    try:
        told = json.loads(report.read_text())
    except (OSError, ValueError):
        print(done.stdout[-4000:] + done.stderr[-4000:], flush=True)
        return {**dict.fromkeys(COUNTED, 0), "failed": 1}
    for file in told["testResults"]:
        for test in file["assertionResults"]:
            if test["status"] == "failed":
                print(test["fullName"], *test["failureMessages"], sep="\n", flush=True)
    counts = {"passed": told["numPassedTests"], "failed": told["numFailedTests"], "skipped": told["numPendingTests"]}
    return {**counts, "cpu": round(processor_seconds() - began)}


def modules() -> list[str]:
    """All test modules, those that take longest first."""
    paths = [path.relative_to(HERE.parent).with_suffix("") for path in HERE.rglob("test_*.py")]
    names = sorted(".".join(path.parts) for path in paths)
    return sorted(names, key=lambda name: next((at for at, word in enumerate(FIRST) if word in name), len(FIRST)))


def needs_demo(name: str) -> bool:
    return any(word in name for word in ("browser", "supervising", "server.test_api"))


DEMO_LANES = 2
"""Lanes that drive the interface: each has a demo and a browser of its own, which take their time to begin."""


class Queue:
    """Modules in order; those that need the demo wait until it is made, and are taken by some lanes alone."""

    def __init__(self, names: list[str]) -> None:
        self.names, self.lock, self.demo = names, threading.Lock(), threading.Event()

    def take(self, lane: int) -> str | None:
        """The next module for a lane; None where there is none."""
        drives = lane < DEMO_LANES
        while True:
            with self.lock:
                mine = [name for name in self.names if drives or not needs_demo(name)]
                if not mine:
                    return None
                ready = [name for name in mine if self.demo.is_set() or not needs_demo(name)]
                if ready:
                    self.names.remove(ready[0])
                    return ready[0]
            self.demo.wait()


def seed() -> None:
    """Make the register's data and a data folder without anything in it once for all modules."""
    from tests.support import Register, temporary_folder

    template = temporary_folder() / "template"
    code = "import sys; from pathlib import Path; from vexo.server.setting_up import set_up; set_up(Path(sys.argv[1]))"
    making = subprocess.Popen([sys.executable, "-c", code, str(template)])
    first, copy = Register(), temporary_folder()
    first.process.terminate()
    first.process.wait(60)
    for path in first.data.glob("*.db"):
        with sqlite3.connect(path) as source, sqlite3.connect(copy / path.name) as target:
            source.backup(target)
    os.environ["VEXO_TEST_SEED"] = str(copy)
    if making.wait(600) == 0:
        os.environ["VEXO_TEST_TEMPLATE"] = str(template)


def make_demo(queue: Queue) -> None:
    """Make the demo's data once, around the register's that are there; each test works on a copy."""
    from tests.browser.support import Demo
    from tests.support import temporary_folder

    try:
        folder = temporary_folder() / "demo"
        shutil.copytree(os.environ["VEXO_TEST_SEED"], folder / "harbour")
        Demo(folder).stop()
        os.environ["VEXO_TEST_DEMO"] = str(folder)
    finally:
        queue.demo.set()


def work_in_memory() -> None:
    """Put temporary folders into memory where there is plenty: thousands of synced files are not what is tested."""
    memory = Path("/dev/shm")
    if "TMPDIR" not in os.environ and memory.is_dir() and shutil.disk_usage(memory).free > ROOM_WANTED:
        os.environ["TMPDIR"] = tempfile.tempdir = str(memory)


def main() -> int:
    if sys.argv[1:2] == ["--lane"]:
        run_lane()
        return 0
    work_in_memory()
    # With several lanes threads of their own would only wait for each other over tables this small.
    os.environ.setdefault("POLARS_MAX_THREADS", "1")
    names = sys.argv[1:] or [WEB, *modules()]
    seed()
    queue, found = Queue(list(names)), threading.Lock()
    total: Counts = dict.fromkeys(COUNTED, 0)

    def work(number: int) -> None:
        lane = Lane()
        while (name := queue.take(number)) is not None:
            began = time.monotonic()
            counts = lane.run(name)
            took = time.monotonic() - began
            said = f"{counts['passed']} passed, {counts['failed']} failed in {took:.0f} s, {counts['cpu']} s of CPU"
            print(f"{name}: {said}", file=sys.stderr, flush=True)
            with found:
                for key, count in counts.items():
                    total[key] += count
        lane.end()

    # A test of the interface waits more than it works: two lanes more than cores leave none of them idle.
    count = int(os.environ.get("VEXO_TEST_LANES", (os.cpu_count() or 1) + 2))
    with ThreadPoolExecutor(count + 1) as pool:
        demo = pool.submit(make_demo, queue) if any(map(needs_demo, names)) else None
        lanes = [pool.submit(work, number) for number in range(count)]
        for future in [*lanes, *([demo] if demo else [])]:
            future.result()
    skipped = f", {total['skipped']} skipped" if total["skipped"] else ""
    print(f"{total['passed']} passed, {total['failed']} failed{skipped}", flush=True)
    return 1 if total["failed"] or not total["passed"] else 0


if __name__ == "__main__":
    sys.exit(main())
