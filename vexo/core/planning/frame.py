"""The plan's table: every column of it named, typed and explained once, for all who read or write it.

A plan has one row for each row of the sheet. Its stored columns are ``ROW_SCHEMA``, then ``FieldColumns.STORED`` of
each carried field and ``agrees`` of each check. While it is made, the table also has the working columns below.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar

import polars as pl

from ..columns.carried_columns import CarriedColumns
from ..keys.record_keys import in_one_order
from ..problems import FAULT
from ..records import IDENTIFIER, VERSION
from ..sheets.sheet import ROW, ROW_ID

VERDICT = "verdict"
"""One of ``Verdict``."""
FAULTS = "faults"
"""The row's faults without an answer, in order of weight."""
EARLIER_RESULT = "earlier_result"
"""What an earlier pass did with the row: created, updated, deleted or unclear; null where none bound it."""
CHANGED_ELSEWHERE = "changed_elsewhere"
"""The row stays the same, and the application changed its record since the base of comparison."""

ROW_SCHEMA: dict[str, pl.DataType] = {
    ROW_ID: pl.UInt32(),
    ROW: pl.UInt32(),
    VERDICT: pl.String(),
    FAULTS: pl.List(FAULT),
    IDENTIFIER: pl.String(),
    VERSION: pl.String(),
    EARLIER_RESULT: pl.String(),
    CHANGED_ELSEWHERE: pl.Boolean(),
}
"""Stored columns of every plan; ``@id`` and ``@version`` are null for rows without a record."""

# Working columns: there only while a plan is made.
CREATES = "creates"
"""The row is to become a new record."""
KEY_MATCHES = "key_matches"
"""Number of records that have the row's key now."""
KEY_RECORDS = "key_records"
"""The IDs of the records that have the row's key now, where these are several: a list of at most twenty; else null."""
KEY_NAMES = "key_names"
"""These records as people know them, as one text with a line each."""
RECORD_BY_KEY = "record_by_key"
"""ID of the one record that has the row's key now."""
IDENTIFIER_CELL = "identifier_cell"
"""The record ID that the row itself names, where the sheet has that column."""
RECORD_SENT = "record_sent"
"""ID of the record that the row was in the kept copy."""
SENT_BY_KEY = "sent_by_key"
"""ID of the record that had the row's key in the kept copy."""
EARLIER_RECORD = "earlier_record"
"""ID of the record to which an earlier pass bound the row."""
EARLIER_PASS = "earlier_pass"
"""Number of that pass."""
KEY_EDITED = "key_edited"
"""A key cell says something else than when that pass was sent."""
BOUND = "bound"
"""ID of the record that the row is bound to, by the ledger or the kept copy, whatever its key finds now."""
BOUND_BY_SHEET = "bound_by_sheet"
"""The row's key is as it was when it was bound."""
GONE = "gone"
"""The bound record is no longer in the application."""
DELETED_BY_PASS = "deleted_by_pass"
"""A pass of this trip deleted the row's record."""
IN_KEPT_COPY = "in_kept_copy"
"""The row's record is in the kept copy."""
KEPT_VERSION = "kept_version"
"""The record's version in the kept copy."""
CHANGED = "changed"
"""What of a row's record is otherwise than when it was last known here, as one text: its version, or without versions
the fields that are; null where nothing is."""
EDITED_SINCE = "edited_since"
"""A cell of a row that a pass deleted says something else than then."""
ALL_CELLS = "all_cells"
"""All that the row says, as one text."""
NEAR_KEYS = "near_keys"
"""For a key that was not found, the existing keys nearest to it, as one text with a line each."""
NEAR_RECORDS = "near_records"
"""The IDs of the records that have these, a list in the same order; null for none."""
BOUND_BY_HAND = "bound_by_hand"
"""A person said which record the row is, whatever its key says: the key is never written."""
OTHER_PART = "other_part"
"""Label of the trip's other part that has the row's record."""
OUTSIDE_REACH = "outside_reach"
"""The row's record, or the one that it would make, lies outside the reach of the trip."""
INCLUDED = "included"
"""The row is neither left out by hand nor by the sheet's condition."""
VARIANTS = "variants"
"""Number of different things that the rows about one record say; null for a row alone."""
FIRST_ROW = "first_row"
"""Row number of the first of them."""
GROUP_ROWS = "group_rows"
"""Row numbers of all of them, as one text."""
GROUP_SAYS = "group_says"
"""What all of them say, as one text."""
EFFECT = "effect"
"""What the row's first fault does to it: a value of ``Does``."""


class FieldColumns(CarriedColumns):
    """Names of the columns of one field in a plan's table; those of its carried value too."""

    __slots__ = ()

    STORED: ClassVar[tuple[str, ...]] = (
        "proposed",
        "current",
        "base_sent",
        "base_app",
        "has_base",
        "action",
        "cell_says",
        "left_blank",
        "kept_filled",
    )

    @property
    def stored(self) -> tuple[str, ...]:
        """The columns that a plan keeps of the field."""
        return tuple(getattr(self, name) for name in self.STORED)

    @property
    def proposed(self) -> str:
        """The sheet's value after treatments, marks and rules; ``values.dtype`` of the field, as are the next three."""
        return f"proposed.{self.name}"

    @property
    def current(self) -> str:
        """The application's value as it was read for the plan; null for rows without a record."""
        return f"current.{self.name}"

    @property
    def base_sent(self) -> str:
        """Merge base, sheet's side: the value that went out, or that the sheet said when it was last compared."""
        return f"base_sent.{self.name}"

    @property
    def base_app(self) -> str:
        """Merge base, application's side: the value that it held then."""
        return f"base_app.{self.name}"

    @property
    def has_base(self) -> str:
        """The cell has a merge base at all, Boolean."""
        return f"has_base.{self.name}"

    @property
    def sent_text(self) -> str:
        """The text that was written out for the cell, String; null throughout where every cell of the field is read."""
        return f"sent_text.{self.name}"

    @property
    def action(self) -> str:
        """What happens to the cell, UInt8: a constant of ``CellAction``."""
        return f"action.{self.name}"

    @property
    def left_blank(self) -> str:
        """The cell had a value when it went out, is blank now, and its record is left as it is, Boolean."""
        return f"left_blank.{self.name}"

    @property
    def kept_filled(self) -> str:
        """The cell is not written since the application's field is filled, Boolean."""
        return f"kept_filled.{self.name}"

    @property
    def cleared_by_rule(self) -> str:
        """The blank cell clears its field by its lane's rule, Boolean."""
        return f"cleared_by_rule.{self.name}"

    @property
    def over_limit(self) -> str:
        """The cell is one of those by which its lane clears more values than the limit, Boolean."""
        return f"over_limit.{self.name}"

    @property
    def lost_point(self) -> str:
        """The cell's number seems to have lost or got a decimal point, Boolean."""
        return f"lost_point.{self.name}"

    @property
    def far_out(self) -> str:
        """The cell's value lies far outside of what the application holds in its field, Boolean."""
        return f"far_out.{self.name}"

    @property
    def asked(self) -> str:
        """The cell is held since something is asked of its column, Boolean."""
        return f"asked.{self.name}"

    @property
    def agrees(self) -> str:
        """Of a check: the cell agrees with its record, Boolean; null where nothing was compared."""
        return f"agrees.{self.name}"

    @property
    def then(self) -> str:
        """What the sheet said when a pass was sent, while it is compared."""
        return f"then.{self.name}"

    @property
    def result(self) -> str:
        """After a write: the value that its own answer gave; ``result_known`` where it gave one."""
        return f"result.{self.name}"

    @property
    def result_known(self) -> str:
        """After a write: whether its own answer gave a value, Boolean."""
        return f"result_known.{self.name}"

    @property
    def before(self) -> str:
        """On a page of the ledger: what a written field held before."""
        return f"before.{self.name}"

    @property
    def wrote(self) -> str:
        """On a page of the ledger: the cell was written, Boolean."""
        return f"wrote.{self.name}"


def each(names: Iterable[str]) -> list[FieldColumns]:
    """The columns of several fields."""
    return [FieldColumns(name) for name in names]


def keyed(key: Iterable[str]) -> pl.Expr:
    """Whether a row has a key that can be read; none has where rows are matched by nothing."""
    fields = [pl.col(columns.key).is_not_null() for columns in each(key)]
    return pl.all_horizontal(fields) if fields else pl.lit(value=False)


def twins_of(carried: Iterable[str]) -> list[tuple[str, str]]:
    """Stored columns of a plan that are mostly the same as another one: both sides of the merge base are, where no pass
    has written since the records went out."""
    return [(columns.base_app, columns.base_sent) for columns in each(carried)]


def beside(keys: pl.Series, table: pl.DataFrame) -> pl.DataFrame:
    """The lines of ``table`` that have these keys, in their order, without the key; nulls where it has none.

    Args:
        keys: named like the column of ``table`` that is looked in.
        table: where several lines have one key, one of them counts.
    """
    name = keys.name
    rest = [column for column in table.get_columns() if column.name != name]
    if table.is_empty() or not rest:
        return pl.DataFrame([pl.Series(c.name, [None], c.dtype).new_from_index(0, len(keys)) for c in rest])
    places = places_of(keys, table[name])
    return pl.DataFrame(rest) if places is None else pl.DataFrame(rest)[places]


def places_of(keys: pl.Series, known: pl.Series) -> pl.Series | None:
    """Where each of ``keys`` is among ``known``, null where it is not; one of several places counts. None where each
    has its own place in the same order."""
    if in_one_order(keys, known):
        return None
    places = known.alias("key").to_frame().lazy().with_row_index("place").unique("key", keep="any")
    met = keys.alias("key").to_frame().lazy().join(places, on="key", how="left", maintain_order="left")
    return met.select("place").collect()["place"]
