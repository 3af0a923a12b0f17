from __future__ import annotations

import json
import sqlite3
import unittest

from tests.support import TOKEN, Vexo, free_port, register


class BadInput(unittest.TestCase):
    """Each is a plain sentence with what to do; nothing is lost."""

    vexo: Vexo

    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo()

    def fails(self, *arguments: str) -> str:
        """The command in this process, which starts once; its sentence."""
        return self.vexo.fails(*arguments)

    def file(self, name: str, content: bytes) -> str:
        path = self.vexo.files / name
        path.write_bytes(content)
        return str(path)

    def test_files(self) -> None:
        cases = {
            self.file("bytes.csv", b"a\0b"): "are not text",
            self.file("empty.csv", b""): "empty",
            self.file("header.csv", b"Harbour,Berth no.\n"): "no rows below it",
            self.file("else.csv", b"colour,size\nred,2\n"): "--map COLUMN=FIELD",
            self.file("nokey.csv", b"daily_rate,notes\n1,x\n"): "Say it with --key",
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
            ("send-out", "harbour-practice", "Berth", "-o", out[:-3] + "doc"): "Unknown format",
            ("bring-in", "harbour-practice", "Berth", good, "--key", "ring_no"): "Ring no.",
            ("bring-in", "harbour-practice", "Berth", good, "--map", "nots=notes"): "no column 'nots'",
            ("bring-in", "harbour-practice", "Berth", good, "--trip", "999"): "no trip 999",
            ("review", "999"): "no trip 999",
            ("apply", "999", "--yes"): "no trip 999",
            ("plan", "999"): "no trip 999",
            ("decide", "999", "aside", "--row", "2"): "no trip 999",
            ("nonsense",): "",
        }
        for command, words in cases.items():
            with self.subTest(command):
                self.assertIn(words, self.fails(*command))
        self.assertIn('"error"', self.vexo.run("review", "999", "--json").stdout)

    def test_an_application_that_does_not_answer_or_refuses_the_token(self) -> None:
        fresh = Vexo(connect=False)
        address = f"http://127.0.0.1:{free_port()}/"
        for arguments, token, words in (
            ((address,), TOKEN, "does not answer"),
            ((register().odata(),), "no-such-token", "refuses the token"),
        ):
            done = fresh.run("connect", "x", *arguments, "--stage", "live", "--inside", VEXO_TOKEN=token)
            self.assertEqual(done.returncode, 2)
            self.assertIn(words, done.stderr)
            self.assertNotIn(token, done.stderr + done.stdout)
        self.assertEqual(fresh.json("applications"), {"applications": []})

    def test_the_token_is_encrypted_at_rest_and_the_key_is_private(self) -> None:
        for path in self.vexo.data.rglob("*"):
            if path.is_file():
                self.assertNotIn(TOKEN.encode(), path.read_bytes(), path)
        self.assertEqual((self.vexo.data / "key").stat().st_mode & 0o777, 0o600)

    def test_with_json_there_is_exactly_one_object_whatever_goes_wrong(self) -> None:
        good = self.file("one.csv", b"harbour,berth_no,notes\nTERNISLAND,A-001,json\n")
        trip = str(self.vexo.json("bring-in", "harbour-practice", "Berth", good, "--trip", "new")["trip"])
        cases = (
            ("review", "999"),
            ("review", "x"),
            ("apply", trip),
            ("outcome", trip),
            ("apply", trip, "--plan", "77"),
        )
        for command in cases:
            with self.subTest(command):
                done = self.vexo.run(*command, "--json")
                self.assertEqual((done.returncode, list(json.loads(done.stdout))), (2, ["error"]))
        asked = self.vexo.run("apply", trip, "--json")
        self.assertIn("Write 1 row (1 to update)?", asked.stderr)
        self.assertEqual(json.loads(asked.stdout)["error"], "Not confirmed; nothing was done.")

    def test_brackets_in_a_key_and_places_that_cannot_be_written(self) -> None:
        content = "holder_no,last_name\n[bold],[red]x[/blue]\n"
        odd = self.file("odd.csv", content.encode())
        trip = str(self.vexo.json("bring-in", "harbour-practice", "Holder", odd, "--trip", "new", code=1)["trip"])
        self.assertIn("[bold]", self.vexo.run("review", trip).stdout)
        lone = self.file("lone.csv", b"harbour,berth_no,notes\nTERNISLAND,A-002,x\n")
        trip = str(self.vexo.json("bring-in", "harbour-practice", "Berth", lone, "--trip", "new")["trip"])
        self.vexo.json("apply", trip, "--yes")
        for path, words in (
            (self.vexo.files / "nowhere" / "r.csv", "There is no folder"),
            (self.vexo.files / "r.doc", "Unknown format"),
            (self.vexo.files / ("x" * 300 + ".csv"), "cannot be written"),
        ):
            self.assertIn(words, self.vexo.fails("outcome", trip, "--receipt", str(path)))
        blocked = self.vexo.files / "blocked"
        blocked.write_text("a file")
        for command, words in ((("serve",), "Nothing can be kept"), (("applications",), "There is no data folder")):
            done = Vexo.process(self.vexo, "--data", str(blocked / "data"), *command)
            self.assertEqual(done.returncode, 2, done.stderr)
            self.assertIn(words, done.stderr)

    def test_a_folder_of_a_newer_version_or_of_something_else_is_refused_with_the_remedy(self) -> None:
        later = "CREATE TABLE django_migrations (app, name); INSERT INTO django_migrations VALUES ('trips', '9999_x')"
        other = "CREATE TABLE notes (id INTEGER)"
        for tables, words in ((later, "newer version"), (other, "not a database of Vexo's")):
            folder = self.vexo.files / words.replace("'", "")
            folder.mkdir()
            with sqlite3.connect(folder / "vexo.db") as database:
                database.executescript(tables)
            (folder / "key").write_text("k" * 48)
            done = Vexo.process(self.vexo, "--data", str(folder), "applications", "--json")
            self.assertEqual(done.returncode, 2)
            self.assertIn(words, json.loads(done.stdout)["error"])

    def test_rights_bind_the_command_line_too(self) -> None:
        from vexo.server.people.models import Person, Role

        good = self.file("right.csv", b"harbour,berth_no,notes\nTERNISLAND,A-003,right\n")
        trip = str(self.vexo.json("bring-in", "harbour-live", "Berth", good, "--trip", "new")["trip"])
        for name, role in (("vera", Role.VIEWER), ("pia", Role.PREPARER), ("olaf", Role.OPERATOR)):
            Person.objects.create(username=name, name=name.title(), role=role)
        try:
            for who, command, words in (
                ("vera", ("bring-in", "harbour-live", "Berth", good), "needs a preparer"),
                ("vera", ("decide", trip, "aside", "--row", "2"), "needs a preparer"),
                ("pia", ("apply", trip, "--yes"), "needs an operator"),
                ("nobody", ("plan", trip), "Nobody here is called"),
                ("olaf", ("connect", "x", "http://127.0.0.1:9/", "--stage", "live"), "administrators"),
            ):
                with self.subTest(who=who, command=command[0]):
                    self.assertIn(words, self.vexo.fails("--as", who, *command))
            self.assertIn("--as PERSON", self.vexo.fails("apply", trip, "--yes"))
            done = self.vexo.json("--as", "olaf", "apply", trip, "--yes")
            self.assertEqual(done["outcome"]["updated"], 1)
        finally:
            Person.objects.all().delete()

    def test_decisions_by_the_command_line(self) -> None:
        odd = self.file("decide.csv", b"harbour,berth_no,notes\nTERNISLAND,B-001,x\nTERNISLAND,B-002,y\n")
        trip = str(self.vexo.json("bring-in", "harbour-practice", "Berth", odd, "--trip", "new")["trip"])
        decided = self.vexo.json("decide", trip, "aside", "--row", "2")
        self.assertEqual((decided["verdicts"]["aside"], decided["verdicts"]["update"]), (1, 1))
        listed = self.vexo.json("decisions", trip)["decisions"]
        undone = self.vexo.json("decisions", trip, "--undo", str(listed[0]["id"]))
        self.assertEqual(undone["verdicts"]["aside"], 0)
        self.assertIn("no row 99", self.vexo.fails("decide", trip, "aside", "--row", "99"))
        self.assertIn("no longer counts", self.vexo.fails("apply", trip, "--yes", "--plan", "1"))
        keyed = self.vexo.json("columns", trip, "--map", "notes=")
        self.assertEqual(keyed["verdicts"]["same"], 2)
