"""Records that rows without a key may be, as one finds them pair by pair (``semantics.md`` 5.8)."""

from __future__ import annotations

import re
import unicodedata
import unittest
from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from tests.core.examples import codes, plan, verdicts
from tests.core.test_near import near
from vexo.core.keys.likeness import like_records, like_rows, naming_of
from vexo.core.operations import Operation
from vexo.core.records import Field, Kind, RecordType

FIELDS = ("first_name", "last_name", "email", "phone")
PERSON = RecordType(
    "Person", "Person", "People", "People", "id",
    (
        Field("id", "Record ID", Kind.TEXT, read_only=True),
        Field("first_name", "First name", Kind.TEXT),
        Field("last_name", "Last name", Kind.TEXT),
        Field("email", "E-mail", Kind.TEXT),
        Field("phone", "Phone", Kind.TEXT),
        Field("notes", "Notes", Kind.TEXT),
        Field("file_no", "File no.", Kind.TEXT),
    ),
)  # fmt: skip
NAMING = naming_of(PERSON, [field.name for field in PERSON.fields])
FIRST = st.sampled_from([None, "", "Ada", "ADA", "\u00c1da", "Ida", "Ines", "Teal"])
LAST = st.sampled_from([None, "Teal", "teal ", "Teall", "Quillfeather", "Quilfeather", "Ada"])
MAIL = st.sampled_from([None, "", "a@example.org", "A@Example.org", " a@example.org", "b@example.org"])
PHONE = st.sampled_from([None, "12345", "0555 123 4567", "+49 555 1234567", "5551234567", "555-123-4568"])
PEOPLE = st.lists(st.tuples(FIRST, LAST, MAIL, PHONE), max_size=5)


def folded(text: str) -> str:
    apart = unicodedata.normalize("NFD", text.lower())
    return "".join(c for c in apart if unicodedata.category(c) != "Mn")


def told_by(person: tuple[str | None, ...]) -> tuple[str, str | None, str]:
    """A person's name, mail address and phone number as they are compared."""
    words = sorted(re.findall(r"[^\W_]+", folded(f"{person[0] or ''} {person[1] or ''}")))
    figures = re.sub(r"\D", "", person[3] or "")
    mail = None if person[2] is None else folded(person[2].strip(" "))
    return " ".join(words), mail, figures[-9:] if len(figures) >= 7 else ""


def table(people: list[Any]) -> pl.DataFrame:
    return pl.DataFrame(people, schema=dict.fromkeys(FIELDS, pl.String), orient="row")


class Like(unittest.TestCase):
    def test_the_fields_by_which_people_are_told_apart(self) -> None:
        self.assertEqual(NAMING.names, ("first_name", "last_name"))
        self.assertEqual((NAMING.mails, NAMING.phones), (("email",), ("phone",)))

    @given(PEOPLE, PEOPLE)
    def test_records_by_mail_by_phone_and_by_name(self, rows: list[Any], there: list[Any]) -> None:
        known = table(there).with_columns(pl.int_range(pl.len()).cast(pl.String).alias("@id"))
        pairs = like_records(table(rows), known, NAMING)
        for at, row in enumerate(rows):
            name, mail, phone = told_by(row)
            others = [told_by(one) for one in there]
            named = [n for n, one in enumerate(others) if one[0]]
            wanted = {n for n, one in enumerate(others) if (mail and mail == one[1]) or (phone and phone == one[2])}
            if name:
                wanted |= {named[n] for n in near((name,), [(others[n][0],) for n in named])}
            self.assertEqual({int(one) for one in pairs.filter(pairs["at"] == at)["@id"]}, wanted, (row, there))

    @given(PEOPLE)
    def test_rows_before(self, rows: list[Any]) -> None:
        told = [told_by(row) for row in rows]
        for at, first in enumerate(like_rows(table(rows), NAMING).to_list()):
            alike = [n for n in range(at) if any(a and a == b for a, b in zip(told[n], told[at], strict=True))]
            self.assertEqual(first, alike[0] if alike else None, rows)

    def test_alike_rows_are_held_and_the_others_made(self) -> None:
        rows = [("N1", "New one"), ("N2", "Una"), ("N3", "una"), ("N4", "Bert"), ("N5", None)]
        now = [("1", "v", "A", "Una")]
        made = plan(["code", "name"], rows, now, operation=Operation.CREATE_UNMATCHED, key=())
        self.assertEqual(codes(made), [[], ["like-record"], ["like-record", "like-row"], [], ["required-new"]])
        self.assertEqual(verdicts(made), ["create", "held", "held", "create", "rejected"])
