"""New fields and new choices in an application that lets people add them, and what they are good for at once."""

from __future__ import annotations

from typing import Any

from tests.server.test_lanes import LaneCase
from tests.support import register, template

template()

from vexo.applications import ApplicationError  # noqa: E402
from vexo.applications.base import NotPromised  # noqa: E402
from vexo.applications.fake import SERVED, FakeClient, Store  # noqa: E402
from vexo.core.records import NewField  # noqa: E402
from vexo.server.applications.shaping import add_choice, add_field, name_from  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.people.models import Person, Role  # noqa: E402
from vexo.server.people.rights import NotAllowed  # noqa: E402


class Adding(LaneCase):
    def lines(self) -> list[dict[str, Any]]:
        return register().get("TariffLines", **{"$top": "3", "$orderby": "id"})["value"]

    def test_each_kind_is_a_field_at_once_and_takes_values(self) -> None:
        made = {"text": "soft", "number": "12.5", "date": "2026-11-27", "yes or no": "yes", "choice": "good"}
        for kind in made:
            choices = ("good", "fair") if kind == "choice" else ()
            field = NewField(name_from(f"As {kind}"), f"As {kind}", kind, False, choices)
            add_field(self.person, self.practice, "TariffLine", field)
        self.practice.refresh_from_db()
        line = self.lines()[0]
        columns = ["season", "length_band", "harbour", *[name_from(f"As {kind}") for kind in made]]
        text = (
            ";".join(columns) + "\n" + ";".join([line["season"], line["length_band"], line["harbour"], *made.values()])
        )
        trip = self.bring(text, record_type="TariffLine")
        self.assertEqual(self.verdicts(trip), ["update"])
        self.apply(trip)
        now = self.lines()[0]
        told = {kind: now[name_from(f"As {kind}")] for kind in made}
        self.assertEqual(told, {**made, "number": "12.5000", "yes or no": True})

    def test_a_required_one_asks_what_records_get_that_are_there(self) -> None:
        needed = NewField("ledger", "Ledger", "text", required=True)
        with self.assertRaisesRegex(PlainError, "which value the records get"):
            add_field(self.person, self.practice, "Harbour", needed)
        made = NewField("ledger", "Ledger", "text", required=True, existing="general")
        known = add_field(self.person, self.practice, "Harbour", made)
        self.assertTrue(known.type("Harbour").field("ledger").required)
        self.assertEqual({harbour["ledger"] for harbour in register().get("Harbours")["value"]}, {"general"})

    def test_an_unknown_choice_names_the_near_ones_or_is_added(self) -> None:
        line = self.lines()[0]
        text = f"season;length_band;harbour;amount\nwintre;{line['length_band']};{line['harbour']};1\n"
        text += f"monsoon;{line['length_band']};{line['harbour']};1"
        trip = self.bring(text, record_type="TariffLine", operation="upsert")
        plan = self.table(trip)
        told = [next(f["arguments"] for f in row if f["code"] == "key-unread")[1:] for row in plan["faults"]]
        self.assertEqual([(arguments[0], arguments[2]) for arguments in told], [("wintre", "winter"), ("monsoon", "")])
        add_choice(self.person, self.practice, "TariffLine", "season", "monsoon")
        self.plan(trip)
        self.assertEqual(self.verdicts(trip), ["rejected", "create"])
        self.assertEqual(self.newest(trip).summary["verdicts"]["create"], 1)

    def test_what_cannot_be_added_says_why(self) -> None:
        for field, words in (
            (NewField("season", "Season"), "already"),
            (NewField("Bad Name", "x"), "small letters"),
            (NewField("x1", " "), "needs a label"),
            (NewField("x1", "x", "song"), "Unknown kind"),
            (NewField("x1", "x", "choice"), "choices"),
            (NewField("x1", "x", "number", existing="many"), "not a number"),
        ):
            with self.assertRaisesRegex((PlainError, ApplicationError), words):
                add_field(self.person, self.practice, "TariffLine", field)
        with self.assertRaisesRegex(ApplicationError, "already"):
            add_choice(self.person, self.practice, "TariffLine", "season", "winter")
        with self.assertRaisesRegex(ApplicationError, "no list"):
            add_choice(self.person, self.practice, "TariffLine", "amount", "1")
        known = self.practice.known
        assert known is not None
        SERVED["fake:adding"] = Store(known)
        fake = FakeClient("fake:adding")
        for ask in (
            lambda: fake.add_field(fake.describe().types[0], NewField("x", "X")),
            lambda: fake.add_choice(fake.describe().types[0], "status", "x"),
        ):
            with self.assertRaises(NotPromised):
                ask()
        preparer = Person.objects.create(username="pia", name="Pia Marram", role=Role.PREPARER)
        with self.assertRaises(NotAllowed):
            add_field(preparer, self.practice, "TariffLine", NewField("x1", "x"))

    def test_on_the_command_line(self) -> None:
        said = self.vexo.run("--as", "ada", "add-field", "harbour-practice", "TariffLine", "Seen by", "--kind", "text")
        self.assertIn("Seen by is a field of TariffLine now: seen_by.", said.stdout)
        said = self.vexo.run("--as", "ada", "add-choice", "harbour-practice", "TariffLine", "season", "lent")
        self.assertEqual(said.returncode, 0)
        self.assertEqual(name_from("  Ünder 5 m! "), "under_5_m")
