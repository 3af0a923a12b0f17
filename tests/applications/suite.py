"""What every protocol must pass: the same questions to a real application, with a real answer from it."""

from __future__ import annotations

from decimal import Decimal
from typing import TYPE_CHECKING

import polars as pl

from vexo.applications import ApplicationError, Client
from vexo.applications.base import NotPromised, Sending
from vexo.core.conditions import Condition, read_condition
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, VERSION, Kind
from vexo.core.writing import Write

if TYPE_CHECKING:
    import unittest

    _Base = unittest.TestCase
else:
    _Base = object


class ApplicationSuite(_Base):
    """Mixed into a test case that gives ``application``, connected to a practice set of the register."""

    application: Client
    FIELDS = ("harbour", "berth_no", "daily_rate", "services", "holder", "holder/holder_no", "insured_until", "status")

    def condition(self, text: str) -> Condition:
        found = read_condition(text, self.berths, self.application.describe())
        assert found is not None
        return found

    def setUp(self) -> None:
        self.berths = self.application.describe().type("Berth")

    def read(self, text: str) -> pl.DataFrame:
        return pl.concat(list(self.application.read(self.berths, self.FIELDS, self.condition(text))))

    def test_describe(self) -> None:
        catalogue = self.application.describe()
        self.assertEqual(self.berths.keys, (("harbour", "berth_no"), ("ring_no",)))
        self.assertEqual(self.berths.field("daily_rate").scale, 2)
        self.assertEqual(self.berths.field("holder").kind, Kind.REFERENCE)
        self.assertEqual(len(self.berths.field("services").choices), 5)
        self.assertTrue(self.berths.field("balance_due").read_only)
        self.assertTrue(self.berths.field("berth_no").required)
        self.assertEqual(self.berths.field("berth_no").label, "Berth no.")
        self.assertTrue(self.berths.versioned)
        self.assertTrue(catalogue.version)

    def test_count_and_read_agree_with_each_other_and_with_the_meaning(self) -> None:
        from vexo.core.conditions.to_expression import to_expression

        texts = [
            "harbour eq 'OLDBASIN' and daily_rate gt 40",
            "services/any(v: v eq 'crane') and not (status eq 'let' or daily_rate eq null)",
            "contains(tolower(berth_no),'b-0') and harbour in ('OLDBASIN')",
            "holder/holder_no eq '0020418'",
            "daily_rate ne 38.5 and harbour eq 'TERNISLAND'",
            "insured_until ge 2027-06-01 and startswith(berth_no,'C')",
        ]
        everything = pl.concat(list(self.application.read(self.berths, self.FIELDS)))
        for text in texts:
            with self.subTest(text):
                found = self.read(text)
                self.assertGreater(len(found), 0)
                self.assertEqual(len(found), self.application.count(self.berths, self.condition(text)))
                meant = everything.filter(to_expression(self.condition(text)))
                self.assertEqual(sorted(found[IDENTIFIER]), sorted(meant[IDENTIFIER]))

    def test_order_and_top(self) -> None:
        some = pl.concat(list(self.application.read(self.berths, ["berth_no"], None, ["berth_no", "harbour"], top=7)))
        self.assertEqual(some["berth_no"].to_list(), sorted(some["berth_no"].to_list()))
        self.assertEqual(len(some), 7)

    def test_read_by_keys(self) -> None:
        wanted = self.read("harbour eq 'EELGRASS'").head(130).select("harbour", "berth_no")
        extra = pl.DataFrame({"harbour": ["EELGRASS", None], "berth_no": ["it's none", "A-001"]})
        found = self.application.read_by_keys(
            self.berths, self.FIELDS, ["harbour", "berth_no"], pl.concat([wanted, extra])
        )
        self.assertEqual(len(found), 130)

    def test_totals_and_distinct(self) -> None:
        condition = self.condition("harbour eq 'EELGRASS'")
        rates = self.read("harbour eq 'EELGRASS'")["daily_rate"]
        self.assertEqual(self.application.totals(self.berths, ["daily_rate"], condition), {"daily_rate": rates.sum()})
        counted = self.application.distinct(self.berths, "status", condition)
        self.assertEqual(counted["count"].sum(), len(rates))

    def test_write_answers_each_row(self) -> None:
        rows = self.read("harbour eq 'TERNISLAND' and status eq 'free'").head(3).to_dicts()
        rate = Decimal("33.33")
        update = Write(
            1, 1, Verdict.UPDATE, rows[0][IDENTIFIER], rows[0][VERSION], {"daily_rate": rate, "services": ["wifi"]}
        )
        stale = Write(2, 2, Verdict.UPDATE, rows[1][IDENTIFIER], 'W/"999"', {"daily_rate": rate})
        refused = Write(3, 3, Verdict.UPDATE, rows[2][IDENTIFIER], rows[2][VERSION], {"status": "let"})
        new = {"harbour": "TERNISLAND", "berth_no": "X-901", "length_m": Decimal("8.0"), "holder": None}
        create = Write(4, 4, Verdict.CREATE, None, None, new)
        twice = Write(5, 5, Verdict.CREATE, None, None, new)
        answers = self.application.write(self.berths, [update, stale, refused, create, twice])
        self.assertEqual([a.state for a in answers], ["updated", "clash", "refused", "created", "refused"])
        self.assertEqual((answers[2].field, answers[2].arguments[0]), ("holder", "A let berth needs a holder."))
        self.assertIn("required-when-let", answers[2].arguments[1])
        self.assertEqual(answers[0].values["daily_rate"], rate)
        again = self.read(f"id eq {answers[3].identifier}").row(0, named=True)
        self.assertEqual((again["berth_no"], again[VERSION]), ("X-901", answers[3].version))
        changed = self.read(f"id eq {rows[0][IDENTIFIER]}").row(0, named=True)
        self.assertEqual(
            (changed["daily_rate"], list(changed["services"]), changed[VERSION]), (rate, ["wifi"], answers[0].version)
        )
        gone = self.application.write(
            self.berths, [Write(6, 6, Verdict.DELETE, answers[3].identifier, answers[3].version, {})]
        )
        self.assertEqual(gone[0].state, "deleted")

    def test_an_atomic_batch_is_all_or_nothing(self) -> None:
        row = self.read("harbour eq 'TERNISLAND' and status eq 'free'").tail(1).row(0, named=True)
        good = Write(1, 1, Verdict.UPDATE, row[IDENTIFIER], row[VERSION], {"daily_rate": Decimal("12.34")})
        bad = Write(2, 2, Verdict.UPDATE, row[IDENTIFIER], None, {"daily_rate": Decimal("900")})
        answers = self.application.write(self.berths, [good, bad], Sending(atomic=True))
        self.assertEqual([a.state for a in answers], ["refused", "refused"])
        self.assertEqual(self.read(f"id eq {row[IDENTIFIER]}")["daily_rate"][0], row["daily_rate"])

    def test_what_it_cannot_it_says(self) -> None:
        with self.assertRaises(NotPromised):
            self.application.check(self.berths, [])

    def test_a_record_has_a_page_for_people(self) -> None:
        self.assertTrue(str(self.application.link(self.berths, "700001")).endswith("/practice/Berths/700001/"))

    def test_a_type_that_is_gone_is_a_sentence(self) -> None:
        from dataclasses import replace

        with self.assertRaises(ApplicationError) as caught:
            self.application.count(replace(self.berths, source="Piers"))
        self.assertIn("no longer there", str(caught.exception))
