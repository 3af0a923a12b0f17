"""Plans of made-up sheets as digests, to be held against those that were recorded.

A change that is to make plans faster must leave every one as it is; one that is to change a rule records them anew:
``python -m tests.core.recorded_plans``, and says so.
"""

from __future__ import annotations

import hashlib
import json
import random
from pathlib import Path
from typing import Any

import polars as pl

from tests.core.examples import EMPTYING, answers, plan_and_questions
from vexo.core.columns.lanes import Blank, Lane
from vexo.core.guards import USUAL
from vexo.core.operations import Operation
from vexo.core.planning.merge_base import Ledger

RECORDED = Path(__file__).with_name("recorded_plans.json")
CASES = 160
VALUES: dict[str, list[str]] = {
    "rate": ["5.00", "6.50", "12.25", "12345678901234.56"],
    "services": ["water", "water; power", "wifi", "power; wifi"],
    "status": ["free", "let"],
    "name": ["a", "caf\u00e9", "x\ny", "0012345678901234567"],
    "until": ["2026-01-02", "2027-12-31"],
    "open": ["yes", "no"],
    "nights": ["1", "20"],
    "seen": ["2026-01-01T10:00:00Z", "2026-06-01T00:00:00Z"],
}
ODD = ["", " ", "[clear]", "[keep]", "[add] power", "[remove] water", "n/k", "1,5", "05.50", "2026-13-40", "Wifi", "7"]
_OPERATIONS = [Operation.CREATE, Operation.UPDATE, Operation.UPSERT, Operation.DELETE]
_CLEARS, _FILLS = Lane(blank=Blank.CLEAR), Lane(only_empty=True)
ANSWERS = ["file", "application", "aside", "leave out", "then", "now", "new", "clear", "leave", "again"]


def _sheet(pick: random.Random, names: list[str], told: list[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
    """Rows of records as they went out, most of them unedited, some strange, there twice or new."""
    odd = pick.choice([0.0, 0.05, 0.4])
    rows = []
    for record in told:
        cells = dict(zip(["id", "version", "code", *names], record, strict=True))
        row = [cells["id"] if name == "id" else cells[name] for name in ["id", "code", *names]]
        for at in range(len(row)):
            if pick.random() < odd:
                pool = VALUES.get(["id", "code", *names][at], ["K1", "K2", "new", "k3", " K4"])
                row[at] = pick.choice([*pool, *pick.sample(ODD, 3), None])
        rows.append(tuple(row))
    if odd and pick.random() < 0.5:
        rows += pick.choices(rows, k=2) if rows else []
        rows.append((None, f"N{pick.randint(1, 3)}", *[pick.choice(VALUES[name]) for name in names]))
    if pick.random() < 0.3:
        pick.shuffle(rows)
    return rows


def _ledger(pick: random.Random, names: list[str], rows: int) -> Ledger:
    if not rows or not names or pick.random() < 0.7:
        return Ledger.empty()
    some = sorted(pick.sample(range(rows), min(rows, 3)))
    page = pl.DataFrame(
        {
            "row_id": some,
            "state": [pick.choice(["created", "updated", "deleted", "unclear"]) for _ in some],
            "@id": [str(pick.randint(1, rows)) for _ in some],
            "pass": [1 for _ in some],
            "has_base.name": [True for _ in some],
            "base_sent.name": [pick.choice(VALUES["name"]) for _ in some],
            "base_app.name": [pick.choice(VALUES["name"]) for _ in some],
        },
        schema_overrides={"row_id": pl.UInt32, "pass": pl.UInt32},
    )
    return Ledger.merged([page])


def _changed(pick: random.Random, names: list[str], record: tuple[Any, ...]) -> tuple[Any, ...]:
    """A record as others may have left it."""
    values = [
        pick.choice(VALUES[name]) if pick.random() < 0.2 else value
        for name, value in zip(names, record[3:], strict=True)
    ]
    return (record[0], "2", record[2], *values)


def digests(case: int) -> list[str]:
    """Of the plan of a made-up sheet, and of the plan after some of what it asks was answered."""
    pick = random.Random(case)
    names = ["name", *pick.sample([name for name in VALUES if name != "name"], pick.randint(1, 4))]
    codes = [f"K{at}" for at in range(pick.choice([0, 1, 4, 12]))]
    then = [(str(at), "1", code, *[pick.choice(VALUES[n]) for n in names]) for at, code in enumerate(codes, 1)]
    now = [
        (
            one[0],
            "2",
            one[2],
            *[pick.choice(VALUES[n]) if pick.random() < 0.2 else v for n, v in zip(names, one[3:], strict=True)],
        )
        for one in then
        if pick.random() < 0.95
    ]
    sheet = _sheet(pick, names, then)
    with_id = pick.random() < 0.6
    operation = pick.choice(_OPERATIONS)
    asked: dict[str, Any] = {
        "names": [*(["id"] if with_id else []), "code", *names],
        "sheet": [row if with_id else row[1:] for row in sheet],
        "now": now,
        "kept": pick.choice([then, then, None]),
        "operation": operation,
        "key": ("id",) if with_id and pick.random() < 0.4 else ("code",),
        "ledger": _ledger(pick, names, len(sheet)),
        "guarded_by": pick.choice([USUAL, EMPTYING]),
        "lanes": {
            name: pick.choice(
                [Lane(blank=Blank.CLEAR), Lane(only_empty=True), Lane(blank=Blank.DEFAULT, default=VALUES[name][0])]
            )
            for name in names
            if name != "services" and pick.random() < 0.15
        },
        "first_new": pick.choice([0, 3]),
        "unmatched_creates": pick.choice([0, 0, 2]),
    }
    made, questions = plan_and_questions(**asked)
    said = [(row, None, pick.choice(ANSWERS)) for row in made["row"].to_list() if pick.random() < 0.5]
    after = plan_and_questions(**asked, decisions=answers(made, questions, said)) if said else (made, questions)
    return [_digest(*one) for one in ((made, questions), after)]


def _digest(made: pl.DataFrame, questions: pl.DataFrame) -> str:
    told = [repr(list(made.schema.items())), repr(made.rows()), repr(sorted(questions.rows()))]
    return hashlib.sha256("\n".join(told).encode()).hexdigest()[:12]


if __name__ == "__main__":
    RECORDED.write_text(json.dumps([digests(case) for case in range(CASES)], indent=0) + "\n")
