"""Values of unique fields that rows write: those that another record has and keeps, or another row writes too, and
those that rows take from one another in a circle. Rules: ``semantics.md`` 5.11 and 7.3.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import polars as pl

from ...faults import CODES, Does
from ...keys.claims import blocked_rows, in_circles
from ...keys.record_keys import key_texts
from ...problems import Case
from ...records import IDENTIFIER, Ignored, RecordType
from ...sheets.sheet import ROW, ROW_ID
from ..decisions import answered, find_faults
from ..frame import CREATES, FieldColumns, beside
from ..inputs import Inputs, Settings
from ..verdicts import CellAction
from .texts import BETWEEN_FIELDS

_CAPITALS = frozenset({Ignored.CAPITALS})
_VALUE, _OWNER, _SHOWN, _TWINS = "value", "owner", "shown", "twins"


def written_keys(record_type: RecordType, carried: Iterable[str], known: Iterable[str]) -> list[tuple[str, ...]]:
    """The declared keys of which rows may write a field, and of which all fields are known.

    Args:
        known: the fields that are known of records, beside those that are carried.
    """
    written = set(carried)
    there = {*written, *known}
    return [key for key in record_type.keys if written.intersection(key) and there.issuperset(key)]


@dataclass(frozen=True)
class _Claims:
    """Values of one key that rows write.

    Attributes:
        field: the field at which rows ask about it.
        lines: ``row_id``, ``value`` that the row writes, ``owner`` (ID of another record that has it), ``shown`` (as
            people know that record) and ``twins`` (numbers of all rows that write it, where these are several).
        leavers: record → the row that writes another value into it.
    """

    field: str
    lines: pl.DataFrame
    leavers: dict[str, int]


def hold_unique(
    frame: pl.DataFrame, inputs: Inputs, settings: Settings, open_: pl.DataFrame, decisions: pl.DataFrame
) -> pl.DataFrame:
    """The faults without an answer of rows that write a unique value which stays another record's, which another row
    writes too, or which can only be had in a circle.

    Args:
        frame: rows with what happens to each cell.
        open_: the faults of rows that nothing has answered: what stops does not free its value.
    """
    stops = open_.filter(pl.col("code").is_in([code for code, does in CODES.items() if does != Does.SAYS]))
    going = frame.filter(~pl.col(ROW_ID).is_in(stops[ROW_ID].implode()))
    keys = written_keys(inputs.record_type, settings.carried, inputs.now.columns)
    claims = [found for key in keys if (found := _claims(going, inputs, settings, key)) is not None]
    if not claims:
        return find_faults(frame, [])
    rows = going.select(ROW_ID)
    for at, one in enumerate(claims):
        names = {name: f"{name}.{at}" for name in (_OWNER, _SHOWN, _TWINS)}
        rows = rows.hstack(beside(rows[ROW_ID], one.lines.select(ROW_ID, *names).rename(names)))
    twins = [_case("duplicate-row", pl.col(f"{_TWINS}.{at}"), one) for at, one in enumerate(claims)]
    owned = [_case("duplicate", pl.col(f"{_SHOWN}.{at}"), one) for at, one in enumerate(claims)]
    of_twins, _ = answered(find_faults(rows, twins), decisions)
    of_owned, answers = answered(find_faults(rows, owned), decisions)
    stay = {(row, field) for row, field in answers.select(ROW_ID, "field").iter_rows()}
    blocked, circles = _settled(claims, set(of_twins[ROW_ID]), stay)
    asked = pl.DataFrame(list(blocked), schema={ROW_ID: pl.UInt32, "field": pl.String}, orient="row")
    numbers = dict(frame.filter(pl.col(ROW_ID).is_in(list(circles))).select(ROW_ID, ROW).iter_rows())
    told = {row: ", ".join(str(number) for number in sorted(numbers[other] for other in group))
            for row, group in circles.items()}  # fmt: skip
    lines = pl.DataFrame(list(told.items()), schema={ROW_ID: pl.UInt32, "circle": pl.String}, orient="row")
    in_circle = find_faults(lines, [_case("key-circle", pl.col("circle"), claims[0])])
    return pl.concat([of_twins, of_owned.join(asked, on=[ROW_ID, "field"], how="semi"), in_circle])


def _case(code: str, said: pl.Expr, claims: _Claims) -> Case:
    return Case(code, said.is_not_null(), claims.field, (said,), (said,))


def _claims(going: pl.DataFrame, inputs: Inputs, settings: Settings, key: tuple[str, ...]) -> _Claims | None:
    """What rows write of one key; None where no row writes anything of it."""
    carried = [name for name in key if name in settings.carried]
    written = [pl.col(FieldColumns(name).action) == CellAction.WRITE for name in carried]
    # Whether a new record's own key is there already was looked at when it was matched.
    writes_any = pl.any_horizontal(written) & (~pl.col(CREATES) | pl.lit(key != settings.key))
    rows = going.filter(writes_any)
    if rows.is_empty():
        return None
    record_type, now = inputs.record_type, inputs.now
    own = beside(rows[IDENTIFIER], now.select(IDENTIFIER, *key))
    writes = {name: rows[FieldColumns(name).action] == CellAction.WRITE for name in carried}
    values = pl.DataFrame(
        [
            pl.select(
                pl.when(writes[name]).then(rows[FieldColumns(name).proposed]).otherwise(own[name])
            ).to_series().alias(name)
            if name in writes
            else own[name]
            for name in key
        ]
    )  # fmt: skip
    new, old = (_joined(table, key, record_type) for table in (values, own))
    lines = pl.DataFrame([rows[ROW_ID], rows[ROW], rows[IDENTIFIER], new.alias(_VALUE), old.alias("old")])
    lines = lines.filter(~pl.col(_VALUE).eq_missing(pl.col("old")))
    leavers = lines.drop_nulls([IDENTIFIER, "old"])
    lines = lines.drop_nulls(_VALUE)
    if lines.is_empty():
        return None
    owners = pl.DataFrame([now[IDENTIFIER].alias(_OWNER), _joined(now, key, record_type).alias(_VALUE)])
    shown = key_texts(now, key, record_type).select(pl.concat_str(pl.all(), separator=" ").alias(_SHOWN))
    owners = owners.hstack(shown).filter(pl.col(_VALUE).is_in(lines[_VALUE].implode()))
    met = lines.join(owners, on=_VALUE, how="left", maintain_order="left")
    own_again = (pl.col(_OWNER) == pl.col(IDENTIFIER)).fill_null(value=False)
    met = met.with_columns(pl.when(~own_again).then(name).alias(name) for name in (_OWNER, _SHOWN))
    met = met.sort(pl.col(_OWNER).is_null(), maintain_order=True).unique(ROW_ID, keep="first", maintain_order=True)
    several = pl.len().over(_VALUE) > 1
    twins = pl.when(several).then(pl.col(ROW).cast(pl.String).sort_by(ROW).str.join(", ").over(_VALUE))
    return _Claims(
        carried[-1],
        met.with_columns(twins.alias(_TWINS)).select(ROW_ID, _VALUE, _OWNER, _SHOWN, _TWINS),
        dict(leavers.select(IDENTIFIER, ROW_ID).iter_rows()),
    )


def _joined(table: pl.DataFrame, key: Sequence[str], record_type: RecordType) -> pl.Series:
    """The values of a key as one text, whatever their capitals; null where one is blank."""
    texts = key_texts(table, key, record_type, _CAPITALS)
    return texts.select(pl.concat_str(pl.all(), separator=BETWEEN_FIELDS)).to_series()


def _settled(
    claims: Sequence[_Claims], stopped: set[int], stay: set[tuple[int, str]]
) -> tuple[set[tuple[int, str]], dict[int, list[int]]]:
    """Which rows ask since a value that they write stays another record's, at which field; and which are in a circle,
    with all of it.

    Args:
        stopped: rows that ask something else, so that they free nothing.
        stay: rows of which a person said that they go all the same, at a field.
    """
    waits_for: dict[int, set[int]] = defaultdict(set)
    wants: list[tuple[int, str, int | None]] = []
    for one in claims:
        for row, owner in one.lines.drop_nulls(_OWNER).select(ROW_ID, _OWNER).iter_rows():
            if (row, one.field) in stay:
                continue
            leaver = one.leavers.get(owner)
            wants.append((row, one.field, leaver))
            if leaver is not None:
                waits_for[row].add(leaver)
    circles = {row: group for group in in_circles(waits_for) for row in group}
    first = {row for row, _, leaver in wants if leaver is None}
    lost = blocked_rows({*stopped, *circles, *first}, waits_for, ())
    asking = {
        (row, field)
        for row, field, leaver in wants
        if (leaver is None or leaver in lost) and row not in stopped and row not in circles
    }
    return asking, circles
