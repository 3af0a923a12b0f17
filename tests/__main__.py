"""``python -m tests [MODULE ...]`` runs all test modules, two at a time; the last line counts the tests."""

from __future__ import annotations

import json
import os
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

WEB = "web"
HERE = Path(__file__).parent
FIRST = ("browser", "journey", "killed", "api")


def run_one(name: str) -> int:
    """Run one module in this process; the last line on standard output tells the counts."""
    suite = unittest.defaultTestLoader.loadTestsFromName(name)
    result = unittest.TextTestRunner(verbosity=1).run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    print(json.dumps({"passed": result.testsRun - failed - skipped, "failed": failed, "skipped": skipped}))
    return 1 if failed else 0


def run_web() -> dict[str, int]:
    """Run the front end's own tests."""
    report = Path(tempfile.mkdtemp()) / "report.json"
    command = ["npx", "vitest", "run", "--reporter=json", f"--outputFile={report}"]
    done = subprocess.run(command, cwd=HERE.parent / "web", capture_output=True, text=True, check=False)
    try:
        told = json.loads(report.read_text())
    except (OSError, ValueError):
        print(done.stdout[-4000:] + done.stderr[-4000:], flush=True)
        return {"passed": 0, "failed": 1, "skipped": 0}
    for file in told["testResults"]:
        for test in file["assertionResults"]:
            if test["status"] == "failed":
                print(test["fullName"], *test["failureMessages"], sep="\n", flush=True)
    return {"passed": told["numPassedTests"], "failed": told["numFailedTests"], "skipped": told["numPendingTests"]}


def run_apart(name: str) -> dict[str, int]:
    """Run one module in a process of its own; it cannot be lost without being counted as failed."""
    if name == WEB:
        return run_web()
    began = time.monotonic()
    command = [sys.executable, "-m", "tests", "--one", name]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    try:
        counts: dict[str, int] = json.loads(done.stdout.strip().rpartition("\n")[2])
    except ValueError:
        counts = {"passed": 0, "failed": 1, "skipped": 0}
    if counts["failed"] or done.returncode:
        print(done.stdout[-4000:] + done.stderr[-12000:], flush=True)
    took = time.monotonic() - began
    print(f"{name}: {counts['passed']} passed, {counts['failed']} failed in {took:.0f} s", file=sys.stderr, flush=True)
    return counts


def modules() -> list[str]:
    """All test modules, those that take longest first."""
    paths = [path.relative_to(HERE.parent).with_suffix("") for path in HERE.rglob("test_*.py")]
    names = sorted(".".join(path.parts) for path in paths)
    return sorted(names, key=lambda name: not any(word in name for word in FIRST))


def seed() -> None:
    """Make the register's data once for all modules."""
    from tests.support import Register, temporary_folder

    first, copy = Register(), temporary_folder()
    first.process.terminate()
    first.process.wait(20)
    for path in first.data.glob("*.db"):
        with sqlite3.connect(path) as source, sqlite3.connect(copy / path.name) as target:
            source.backup(target)
    os.environ["VEXO_TEST_SEED"] = str(copy)


def main() -> int:
    if sys.argv[1:2] == ["--one"]:
        return run_one(sys.argv[2])
    names = sys.argv[1:] or [*modules(), WEB]
    seed()
    with ThreadPoolExecutor(2) as pool:
        counts = list(pool.map(run_apart, names))
    total = {key: sum(count[key] for count in counts) for key in ("passed", "failed", "skipped")}
    skipped = f", {total['skipped']} skipped" if total["skipped"] else ""
    print(f"{total['passed']} passed, {total['failed']} failed{skipped}", flush=True)
    return 1 if total["failed"] or not total["passed"] else 0


if __name__ == "__main__":
    sys.exit(main())
