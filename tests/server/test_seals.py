"""What the journal's seals prove, attacked by someone who can write the database but has not its key."""

from __future__ import annotations

import hashlib
import json
import sqlite3
from typing import Any

from tests.server.services import ServiceCase
from tests.support import Vexo, template

template()

from vexo.server.journal.models import Entry  # noqa: E402
from vexo.server.journal.seals import SEALED, old_seal, verify  # noqa: E402
from vexo.server.journal.services import note  # noqa: E402


class Seals(ServiceCase):
    def setUp(self) -> None:
        self.vexo = Vexo(connect=False)
        self.vexo.use()

    def written(self, *messages: str) -> list[Entry]:
        return [note("ada", "tried", message) for message in messages]

    def tamper(self, *statements: str, values: tuple[Any, ...] = ()) -> None:
        with sqlite3.connect(self.vexo.data / "vexo.db") as database:
            for trigger in ("journal_no_update", "journal_no_delete", "journal_only_after"):
                database.execute(f"DROP TRIGGER IF EXISTS {trigger}")
            for statement in statements:
                database.execute(statement, values)

    def reseal(self, first: int) -> None:
        """All entries from one on with seals that need no key, as everybody can compute them."""
        before = Entry.objects.filter(id__lt=first).order_by("id").values_list("seal", flat=True).last() or ""
        for entry in Entry.objects.filter(id__gte=first).order_by("id").values("id", "way", *SEALED):
            sealed = [before, entry["at"].isoformat(), *[entry[name] for name in SEALED[1:]]]
            sealed += [entry["way"]] if entry["way"] else []
            before = hashlib.sha256(json.dumps(sealed, ensure_ascii=False).encode()).hexdigest()
            self.assertEqual(before, old_seal(sealed[0], entry))
            self.tamper("UPDATE journal_entry SET seal = ? WHERE id = ?", values=(before, entry["id"]))

    def test_a_kept_seal_is_that_of_its_entry_and_all_before_it_are_as_written(self) -> None:
        kept = self.written("one", "two", "three")[1]
        told = self.vexo.run("journal", "--verify", "--seal", kept.seal).stdout
        self.assertIn(f"Entry {kept.pk} has that seal; 1 came after it.", told)
        self.assertEqual(self.vexo.json("journal", "--verify", "--seal", kept.seal)["sealed_so"], kept.pk)
        self.assertEqual(self.vexo.json("journal", "--verify", "--seal", "0" * 64, code=1)["sealed_so"], None)
        self.assertIn("written anew", self.vexo.run("journal", "--verify", "--seal", "x").stdout)
        self.assertIn("goes with --verify", self.vexo.run("journal", "--seal", kept.seal).stderr)
        self.assertEqual(self.vexo.json("journal")["entries"][-1]["seal"], Entry.objects.latest("id").seal)

    def test_entries_cut_off_at_the_end_show_by_the_kept_seal_alone(self) -> None:
        last = self.written("one", "two", "three")[-1]
        self.tamper(f"DELETE FROM journal_entry WHERE id = {last.pk}")
        self.assertIsNone(verify().broken)
        self.assertEqual(self.vexo.json("journal", "--verify", "--seal", last.seal, code=1)["broken"], None)

    def test_who_can_write_the_database_cannot_seal_it_anew(self) -> None:
        entries = self.written("one", "two", "three")
        for where, changed in ((0, "every one anew"), (1, "from the middle on")):
            with self.subTest(changed):
                self.tamper("UPDATE journal_entry SET message = ? WHERE id = ?", values=(changed, entries[where].pk))
                self.reseal(entries[where].pk)
                verified = verify(entries[2].seal)
                if where:
                    self.assertEqual(verified.broken, entries[1].pk)
                else:
                    # Nothing in the database can tell; but it says so, and the seal that was kept is gone.
                    self.assertEqual((verified.broken, verified.without_key), (None, verified.entries))
                self.assertIsNone(verified.sealed_so)
                self.setUp()
                entries = self.written("one", "two", "three")

    def test_entries_of_before_seals_had_a_key_are_as_written_and_said(self) -> None:
        entries = self.written("one", "two", "three")
        self.reseal(1)
        new = self.written("with the key")[0]
        verified = verify(new.seal)
        self.assertEqual((verified.broken, verified.sealed_so), (None, new.pk))
        self.assertEqual(verified.without_key, len(entries) + Entry.objects.filter(id__lt=entries[0].pk).count())
        self.assertIn("before seals had a key", self.vexo.run("journal", "--verify").stdout)
        # One without the key behind one that has it was made by someone else.
        forged = self.written("forged")[0]
        self.reseal(forged.pk)
        self.assertEqual(verify().broken, forged.pk)

    def test_each_thing_that_an_entry_says_is_sealed_its_way_too(self) -> None:
        changes = {
            "way": "'browser'",
            "who": "'x'",
            "rows": "7",
            "trip": "3",
            "file": "'f'",
            "at": "'2030-01-01 00:00'",
        }
        for name, value in changes.items():
            with self.subTest(name):
                entry = self.written("as it was")[0]
                self.tamper(f"UPDATE journal_entry SET {name} = {value} WHERE id = {entry.pk}")
                self.assertEqual(verify().broken, entry.pk)
                self.setUp()

    def test_an_entry_that_is_missing_in_the_middle_or_at_the_beginning_shows(self) -> None:
        first, second, third = self.written("one", "two", "three")
        self.tamper(f"DELETE FROM journal_entry WHERE id = {second.pk}")
        self.assertEqual(verify().broken, third.pk)
        self.tamper(f"DELETE FROM journal_entry WHERE id <= {first.pk}")
        self.assertEqual(verify().broken, third.pk)
        self.assertIn("is not as it was written", self.vexo.run("journal", "--verify").stdout)
