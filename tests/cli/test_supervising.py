"""The demo as one thing: it comes up whole, mends itself, and leaves nothing behind."""

from __future__ import annotations

import os
import signal
import subprocess
import unittest

from tests.browser.support import Demo
from tests.support import BIN, answers, wait_until


class Supervisor(unittest.TestCase):
    def setUp(self) -> None:
        self.demo = Demo()
        self.addCleanup(self.demo.stop)

    def parts(self) -> list[int]:
        own = [
            *self.demo.processes("vexo serve"),
            *self.demo.processes("vexo worker"),
            *self.demo.processes("harbour serve"),
        ]
        return [pid for pid in own if pid != self.demo.process.pid]

    def alive(self, pid: int) -> bool:
        try:
            with open(f"/proc/{pid}/stat", encoding="utf-8") as file:
                return file.read().split()[2] != "Z"
        except OSError:
            return False

    def test_a_part_that_dies_is_started_again_and_all_end_together(self) -> None:
        server = self.demo.processes("vexo serve")[0]
        os.kill(server, signal.SIGKILL)
        wait_until(lambda: not self.alive(server), what="the server's end")
        wait_until(lambda: answers(f"{self.demo.address}/api/health"), what="the server again")
        parts = self.parts()
        self.assertGreaterEqual(len(parts), 3)
        again = subprocess.run(
            [str(BIN / "vexo"), "demo", "--port", str(self.demo.port)],
            capture_output=True,
            text=True,
            timeout=600,
            check=False,
        )
        self.assertIn("is in use", again.stderr)
        self.assertNotEqual(again.returncode, 0)
        self.demo.stop()
        wait_until(lambda: not any(self.alive(pid) for pid in parts), what="the end of all parts")

    def test_the_parts_end_when_the_supervisor_is_killed(self) -> None:
        parts = self.parts()
        self.demo.process.kill()
        self.demo.process.wait(20)
        wait_until(lambda: not any(self.alive(pid) for pid in parts), what="the end of all parts")
