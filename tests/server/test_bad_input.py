from __future__ import annotations

import unittest

from click.testing import CliRunner

from tests.support import TOKEN, Vexo, free_port, register
from vexo.cli.main import main


class BadInput(unittest.TestCase):
    """Each is a plain sentence with what to do; nothing is lost."""

    vexo: Vexo

    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo()

    def fails(self, *arguments: str) -> str:
        """The command in this process, which starts once; its sentence."""
        done = CliRunner().invoke(main, ["--data", str(self.vexo.data), *arguments])
        self.assertEqual(done.exit_code, 2, done.output)
        return done.stderr

    def file(self, name: str, content: bytes) -> str:
        path = self.vexo.files / name
        path.write_bytes(content)
        return str(path)

    def test_files(self) -> None:
        cases = {
            self.file("bytes.csv", b"a\0b"): "no text",
            self.file("empty.csv", b""): "empty",
            self.file("header.csv", b"Harbour,Berth no.\n"): "no rows below it",
            self.file("else.csv", b"colour,size\nred,2\n"): "--map COLUMN=FIELD",
            self.file("nokey.csv", b"daily_rate,notes\n1,x\n"): "--key with",
            self.file("double.csv", b"Harbour,harbour\nA,B\n"): "both go into",
            str(self.vexo.files / "missing.csv"): "There is no file",
        }
        for path, words in cases.items():
            with self.subTest(path):
                self.assertIn(words, self.fails("bring-in", "harbour-practice", "Berth", path))

    def test_names_and_conditions(self) -> None:
        out = str(self.vexo.files / "x.csv")
        good = self.file("good.csv", b"harbour,berth_no,notes\nNORTHHAVEN,A-001,x\n")
        cases = {
            ("fields", "harbour-practise", "Berth"): "Connected: harbour-live, harbour-practice",
            ("fields", "harbour-practice", "Beth"): "Did you mean 'Berth'?",
            ("send-out", "harbour-practice", "Berth", "--where", "daily_rate gt", "-o", out): "character 14",
            ("send-out", "harbour-practice", "Berth", "--field", "dayly_rate", "-o", out): "Did you mean 'daily_rate'?",
            ("send-out", "harbour-practice", "Berth", "-o", out[:-3] + "doc"): "no format",
            ("bring-in", "harbour-practice", "Berth", good, "--key", "ring_no"): "Ring no.",
            ("bring-in", "harbour-practice", "Berth", good, "--map", "nots=notes"): "no column 'nots'",
            ("bring-in", "harbour-practice", "Berth", good, "--trip", "999"): "no trip 999",
            ("review", "999"): "no trip 999",
            ("apply", "999", "--yes"): "no trip 999",
        }
        for command, words in cases.items():
            with self.subTest(command):
                self.assertIn(words, self.fails(*command))
        self.assertIn('"error"', self.vexo.run("review", "999", "--json").stdout)

    def test_an_application_that_does_not_answer_or_refuses_the_token(self) -> None:
        fresh = Vexo(connected=False)
        address = f"http://127.0.0.1:{free_port()}/"
        for arguments, token, words in (
            ((address,), TOKEN, "does not answer"),
            ((register().odata(),), "no-such-token", "refuses the token"),
        ):
            done = fresh.run("connect", "x", *arguments, "--stage", "live", VEXO_TOKEN=token)
            self.assertEqual(done.returncode, 2)
            self.assertIn(words, done.stderr)
            self.assertNotIn(token, done.stderr + done.stdout)
        self.assertEqual(fresh.json("applications"), {"applications": []})

    def test_the_token_is_encrypted_at_rest_and_the_key_is_private(self) -> None:
        for path in self.vexo.data.rglob("*"):
            if path.is_file():
                self.assertNotIn(TOKEN.encode(), path.read_bytes(), path)
        self.assertEqual((self.vexo.data / "key").stat().st_mode & 0o777, 0o600)
