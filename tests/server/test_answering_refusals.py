"""All rows that were refused for one reason are set aside at once: exactly these, judged by what is sent next."""

from __future__ import annotations

import json
import random
from typing import Any
from unittest.mock import patch

from django.test import Client

from tests.server.services import ServiceCase, view_of
from tests.support import register, template

template()

from vexo.server.decisions.decisions import undo  # noqa: E402
from vexo.server.decisions.listed import listed_decisions  # noqa: E402
from vexo.server.errors import PlainError  # noqa: E402
from vexo.server.jobs.worker import run_inline  # noqa: E402
from vexo.server.planning import figures  # noqa: E402
from vexo.server.rows.edit_requests import EditRequest, make_edit  # noqa: E402

RATE = "The daily rate must be above 0 and at most 500."
HOLDER = "A let berth needs a holder."
HEADER = "harbour,berth_no,length_m,daily_rate,status,holder,notes"
GOOD, NO_RATE, NO_HOLDER = "35.00,free,", "0.00,free,", "35.00,let,"
"""What a row says: what the register takes, and what it refuses for two reasons."""


class Refused(ServiceCase):
    number = 0

    def berths(self, *rows: str) -> Any:
        """A trip of new berths whose pass has ended, one a row; each test has numbers of its own."""
        Refused.number += 1
        self.letter = f"Y{Refused.number:02}"
        self.says = list(rows)
        trip = self.bring(self.content(), record_type="Berth", operation="upsert", key=["harbour", "berth_no"])
        self.assertEqual({*self.verdicts(trip)}, {"create"}, self.table(trip)["faults"].to_list())
        self.apply(trip)
        self.plan(trip)
        return trip

    def content(self) -> str:
        lines = [f"TERNISLAND,{self.letter}-{at:03},9.0,{row},note {at}" for at, row in enumerate(self.says)]
        return "\n".join([HEADER, *lines])

    def verdicts(self, trip: Any) -> list[str]:
        return list(self.table(trip)["verdict"])

    def groups(self, trip: Any) -> dict[str, Any]:
        client = Client()
        client.force_login(self.person)
        told = client.get(f"/api/trips/{trip.pk}").json()
        return {group["message"]: group for group in told["outcomes"]}

    def aside(self, trip: Any, message: str | None, field: str = "", code: str = "refused", **more: Any) -> Any:
        return self.decide(trip, "aside", code=code, field=field, message=message, **more)

    def refused_next(self, trip: Any) -> list[int]:
        """Places of the rows that the next pass sent, and the register refused again."""
        refused = self.apply(trip).not_in.values_list("row", flat=True)
        self.plan(trip)
        return sorted(int(row) - 2 for row in refused)

    def asides(self, trip: Any) -> list[int]:
        return [at for at, verdict in enumerate(self.verdicts(trip)) if verdict == "aside"]

    def edit(self, trip: Any, at: int, header: str, text: str) -> None:
        """A cell typed anew, planned."""
        columns = {c["header"]: c["column"] for c in trip.status["columns"]}
        row = int(self.table(trip)["row_id"][at])
        asked = {"kind": "cell", "column": columns[header], "row_id": row, "text": text}
        self.assertEqual(
            run_inline(make_edit(view_of(trip), self.person, EditRequest.of(asked), run_here=True)[1]).error, ""
        )
        trip.refresh_from_db()

    def test_of_very_many_reasons_the_commonest_are_told_and_all_rows_are_counted(self) -> None:
        with patch.object(figures, "_MOST_REASONS", 1), patch.object(self, "plan"):
            trip = self.berths(GOOD, NO_RATE, NO_RATE, NO_HOLDER)
            client = Client()
            client.force_login(self.person)
            told = client.get(f"/api/trips/{trip.pk}").json()
        self.assertEqual([(one["message"], one["count"]) for one in told["outcomes"]], [(RATE, 2)])
        self.assertEqual(told["outcomes_left"], 1)
        left = [one for one in told["open"] if one["says"].startswith("1 more row is not in")]
        self.assertEqual([(one["count"], one["state"]) for one in left], [(1, "refused")])
        self.assertEqual(sum(one["count"] for one in told["open"]), 3)

    def test_exactly_the_group_is_set_aside_and_the_others_go_again(self) -> None:
        trip = self.berths(GOOD, NO_RATE, NO_HOLDER, NO_RATE, GOOD, NO_HOLDER)
        told = {
            message: (group["count"], [one["answer"] for one in group["answers"]])
            for message, group in self.groups(trip).items()
        }
        self.assertEqual(told, {RATE: (2, ["aside"]), HOLDER: (2, ["aside"])})
        made = self.aside(trip, RATE, "daily_rate")
        self.assertEqual((made.count, self.asides(trip)), (2, [1, 3]))
        self.assertEqual(
            {message: group["aside"] for message, group in self.groups(trip).items()}, {RATE: 2, HOLDER: 0}
        )
        self.assertEqual(self.verdicts(trip), ["same", "aside", "create", "aside", "same", "create"])
        listed = listed_decisions(view_of(trip), "ada")[0]
        self.assertEqual((listed.says, RATE in listed.asked, listed.label), ("Set aside", True, "Daily rate"))
        self.assertEqual(self.refused_next(trip), [2, 5])
        self.assertEqual(list(self.groups(trip)), [HOLDER], "those that were set aside are no longer not in")
        self.aside(trip, HOLDER, "holder")
        self.assertEqual(self.asides(trip), [1, 2, 3, 5])
        self.assertEqual(self.groups(trip)[HOLDER]["aside"], 2)
        last = trip.decisions.latest("pk")
        run_inline(undo(view_of(trip), self.person, last.pk, run_here=True))
        self.assertEqual(self.groups(trip)[HOLDER]["aside"], 0)
        self.aside(trip, HOLDER, "holder")
        run_inline(undo(view_of(trip), self.person, made.pk, run_here=True))
        self.assertEqual(self.asides(trip), [2, 5], "each is undone by itself")

    def test_a_row_that_was_edited_since_or_set_aside_stays_as_it_is(self) -> None:
        trip = self.berths(NO_RATE, NO_RATE, NO_RATE, NO_HOLDER)
        self.edit(trip, 1, "daily_rate", "35.00")
        self.decide(trip, "aside", [2])
        made = self.aside(trip, RATE, "daily_rate")
        self.assertEqual((made.count, self.asides(trip)), (1, [0, 2]))
        with self.assertRaisesRegex(PlainError, "None of these rows"):
            self.aside(trip, RATE, "daily_rate")
        self.assertEqual(self.refused_next(trip), [3])
        self.assertEqual(float(register().berth("TERNISLAND", f"{self.letter}-001")["daily_rate"]), 35)

    def test_it_is_of_the_words_the_field_and_the_code_that_were_said(self) -> None:
        trip = self.berths(NO_RATE, NO_HOLDER)
        for message, field, code in (
            (RATE, "", "refused"),
            (RATE, "holder", "refused"),
            ("", "daily_rate", "refused"),
            (RATE.lower(), "daily_rate", "refused"),
            (RATE, "daily_rate", "changed-meanwhile"),
            (None, "notes", "refused"),
        ):
            with self.subTest(message=message, field=field, code=code), self.assertRaisesRegex(PlainError, "None of"):
                self.aside(trip, message, field, code)
        for answer in ("file", "application", "leave out", "new", "go on"):
            with self.subTest(answer), self.assertRaisesRegex(PlainError, "None of"):
                self.decide(trip, answer, code="refused", field="daily_rate", message=RATE)
        self.aside(trip, None)
        self.assertEqual(self.asides(trip), [0, 1], "without words all that was refused is meant")

    def test_before_a_pass_and_after_a_newer_sheet_it_is_refused_in_words(self) -> None:
        Refused.number += 1
        self.letter, self.says = f"Y{Refused.number:02}", [NO_RATE]
        trip = self.bring(self.content(), record_type="Berth", operation="upsert", key=["harbour", "berth_no"])
        with self.assertRaisesRegex(PlainError, "Nothing of trip"):
            self.aside(trip, RATE, "daily_rate")
        self.apply(trip)
        self.says = [NO_RATE, NO_RATE]
        self.bring(self.content(), record_type="Berth", trip=str(trip.pk))
        self.assertEqual(self.groups(trip)[RATE]["answers"], [], "what is refused is not offered")
        with self.assertRaisesRegex(PlainError, "newer sheet came in"):
            self.aside(trip, RATE, "daily_rate")

    def test_changed_meanwhile_is_a_group_too(self) -> None:
        trip = self.berths(GOOD, GOOD, GOOD)
        text = self.content().replace("35.00", "36.00")
        newer = self.bring(text, record_type="Berth", operation="update", key=["harbour", "berth_no"])
        job = self.start(newer)
        for at in (0, 2):
            berth = register().berth("TERNISLAND", f"{self.letter}-{at:03}")
            register().change(f"Berths({berth['id']})", daily_rate=37)
        run_inline(job)
        newer.refresh_from_db()
        group = self.groups(newer)[""]
        self.assertEqual((group["code"], group["count"]), ("changed-meanwhile", 2))
        self.plan(newer)
        self.aside(newer, "", group["field"], "changed-meanwhile")
        self.assertEqual(self.asides(newer), [0, 2])
        self.assertEqual(trip.pk + 1, newer.pk)

    def test_by_http_and_by_command_and_not_by_who_may_not(self) -> None:
        from vexo.server.people.models import Person, Role

        trip = self.berths(NO_RATE, NO_HOLDER, NO_RATE)
        vera = Person.objects.create(username="vera", name="Vera Marsh", role=Role.VIEWER)
        self.addCleanup(vera.delete)
        body = {"plan": self.newest(trip).number, "code": "refused", "field": "daily_rate", "message": RATE}
        client = Client()
        for person, status in ((vera, 403), (self.person, 200)):
            client.force_login(person)
            answer = client.post(
                f"/api/trips/{trip.pk}/decisions", {**body, "answer": "aside"}, content_type="application/json"
            )
            self.assertEqual(answer.status_code, status, answer.content)
        self.assertEqual(self.asides(trip), [0, 2])
        told = self.vexo.run(
            "--as",
            "ada",
            "decide",
            str(trip.pk),
            "aside",
            "--code",
            "refused",
            "--field",
            "holder",
            "--message",
            HOLDER,
            "--json",
        )
        self.assertEqual(self.asides(trip), [0, 1, 2], told.stdout + told.stderr)

    def test_the_rows_of_one_reason_are_shown_alone(self) -> None:
        trip = self.berths(NO_RATE, GOOD, NO_HOLDER, NO_RATE)
        client = Client()
        client.force_login(self.person)

        def shown(reason: str) -> Any:
            answer = client.get(f"/api/trips/{trip.pk}/outcome", {"state": "refused", "reason": reason})
            return (
                [row["row"] - 2 for row in answer.json()["rows"]] if answer.status_code == 200 else answer.status_code
            )

        self.assertEqual(shown(json.dumps(["refused", "daily_rate", RATE])), [0, 3])
        self.assertEqual(shown(json.dumps(["refused", "holder", HOLDER])), [2])
        self.assertEqual(shown(json.dumps(["refused", "holder", RATE])), [])
        for odd in ("x", "[]", '{"a": 1}', "null", '["refused"]'):
            self.assertEqual(shown(odd), 422, odd)

    def test_as_a_law_over_rows_edits_and_what_was_set_aside_before(self) -> None:
        for seed in range(4):
            with self.subTest(seed):
                chance = random.Random(seed)
                says = [chance.choice((GOOD, NO_RATE, NO_HOLDER)) for _ in range(8)] + [NO_RATE]
                trip = self.berths(*says)
                refused = [at for at, row in enumerate(says) if row != GOOD]
                edited = set(chance.sample(refused, chance.randint(0, 2)))
                before = {at for at in refused if chance.random() < 0.2} - edited
                for at in edited:
                    self.edit(trip, at, "notes", f"other {seed}")
                if before:
                    self.decide(trip, "aside", sorted(before))
                alike = {at for at in refused if says[at] == NO_RATE} - edited - before
                if not alike:
                    continue
                self.assertEqual(self.aside(trip, RATE, "daily_rate").count, len(alike))
                self.assertEqual(set(self.asides(trip)), alike | before)
                left = set(refused) - alike - before
                if left:
                    self.assertEqual(set(self.refused_next(trip)), left)
