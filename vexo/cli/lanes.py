"""Options that say the lanes of fields, and what is still asked about columns."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vexo.core.columns.lanes import PLAIN, Blank, Lane, LaneError, lanes_from_json

if TYPE_CHECKING:
    from vexo.server.trips.part_view import PartView


@dataclass(frozen=True)
class Laning:
    """What options say of lanes, as it was typed."""

    file: Path | None
    fixed: tuple[str, ...]
    added: tuple[str, ...]
    blanks: tuple[str, ...]
    defaults: tuple[str, ...]
    updates: tuple[str, ...]
    only_empty: tuple[str, ...]
    always: tuple[str, ...]


def lane_options(command: Callable[..., None]) -> Callable[..., None]:
    """The options of lanes, given to a command as ``laning``."""
    options = [
        click.option(
            "--lanes",
            "lanes_file",
            type=click.Path(path_type=Path, dir_okay=False),
            help="A JSON file: field → lane (docs/lanes.md).",
        ),
        click.option("--set", "fixed", multiple=True, metavar="FIELD=VALUE", help="A fixed value for every row."),
        click.option("--add", "added", multiple=True, metavar="FIELD=VALUE", help="Items added in every row."),
        click.option("--blank", "blanks", multiple=True, metavar="FIELD=leave|clear", help="What a blank cell means."),
        click.option(
            "--default", "defaults", multiple=True, metavar="FIELD=TEXT", help="Stands for a blank in new records."
        ),
        click.option("--default-updates", multiple=True, metavar="FIELD", help="Its default counts for all records."),
        click.option(
            "--only-if-empty", multiple=True, metavar="FIELD", help="Fill it only where it is empty; * for all."
        ),
        click.option("--always", multiple=True, metavar="FIELD", help="The reverse of --only-if-empty."),
    ]

    @wraps(command)
    def gathered(
        *args: Any,
        lanes_file: Path | None,
        fixed: tuple[str, ...],
        added: tuple[str, ...],
        blanks: tuple[str, ...],
        defaults: tuple[str, ...],
        default_updates: tuple[str, ...],
        only_if_empty: tuple[str, ...],
        always: tuple[str, ...],
        **others: Any,
    ) -> None:
        laning = Laning(lanes_file, fixed, added, blanks, defaults, default_updates, only_if_empty, always)
        command(*args, laning=laning, **others)

    for option in reversed(options):
        gathered = option(gathered)
    return gathered


def _pair(option: str, said: str) -> tuple[str, str]:
    from vexo.server.errors import PlainError

    field, equals, text = said.partition("=")
    if not equals or not field:
        raise PlainError(f"{option} {said!r} should be FIELD=…")
    return field, text


def _of_file(path: Path | None) -> dict[str, Lane]:
    if path is None:
        return {}
    try:
        data = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError) as error:
        raise LaneError(f"{path} is not a file of lanes: {error}.") from error
    if not isinstance(data, dict) or not all(isinstance(lane, dict) for lane in data.values()):
        raise LaneError(f"{path} should hold one JSON object: field → lane.")
    return lanes_from_json(data)


def lanes_said(laning: Laning, before: dict[str, Lane], carried: list[str]) -> dict[str, Lane]:
    """The lanes that options change, on top of those that there are; ``*`` stands for every carried field.

    Raises:
        PlainError, LaneError, TreatmentError
    """
    from vexo.server.errors import PlainError

    changed = _of_file(laning.file)

    def lay(names: tuple[str, ...], **rules: object) -> None:
        for name in [one for said in names for one in (carried if said == "*" else [said])]:
            changed[name] = replace(changed.get(name, before.get(name, PLAIN)), **rules)  # type: ignore[arg-type]

    for option, pairs, adds in (("--set", laning.fixed, False), ("--add", laning.added, True)):
        for said in pairs:
            field, text = _pair(option, said)
            lay((field,), fixed=text, source="", treatments=(), adds=adds)
    for said in laning.blanks:
        field, word = _pair("--blank", said)
        if word not in (Blank.LEAVE, Blank.CLEAR):
            raise PlainError(f"--blank {said!r}: a blank cell means leave or clear; a text with --default.")
        lay((field,), blank=Blank(word), default="", updates=False)
    for said in laning.defaults:
        field, text = _pair("--default", said)
        lay((field,), blank=Blank.DEFAULT, default=text)
    lay(laning.updates, updates=True)
    lay(laning.only_empty, only_empty=True)
    lay(laning.always, only_empty=False)
    return changed


def questions_of(view: PartView) -> list[dict[str, Any]]:
    """What is still asked about the columns of a trip's sheet: ``of`` a field, or a column by its header."""
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.status import status_facts

    facts = status_facts(view)
    headers = {f"column:{column.column}": column.header for column in facts.columns}
    return [
        {"of": headers.get(key, key), **to_json(question)}
        for key, questions in facts.questions.items()
        for question in questions
    ]


def print_questions(view: PartView) -> None:
    """Say on the standard error what is asked about columns, with the way to answer; nothing passes in silence."""
    trip = view.trip
    asked, counts = questions_of(view), Counter[str]()
    for one in asked:
        click.echo(f"? {one['says']}", err=True)
        for option in one["options"]:
            counts[one["of"]] += 1
            click.echo(f"    {one['of']}={counts[one['of']]}  {option['says']}", err=True)
    if asked:
        click.echo(f"Answer with: vexo columns {trip.pk} --answer '{asked[0]['of']}=1'", err=True)


def answered(view: PartView, answers: tuple[str, ...]) -> tuple[dict[str, str], dict[str, Lane]]:
    """What answers to questions change: header → field, and field → lane. Raises PlainError."""
    from vexo.server.errors import PlainError

    said: dict[str, str] = {}
    lanes: dict[str, Lane] = {}
    asked = questions_of(view)
    for answer in answers:
        of, _, number = answer.rpartition("=")
        options = [option for one in asked if one["of"] == of for option in one["options"]]
        if not options:
            words = ", ".join(dict.fromkeys(one["of"] for one in asked)) or "nothing"
            raise PlainError(f"Nothing is asked about {of!r}. Asked about: {words}.")
        if not number.isdecimal() or not 1 <= int(number) <= len(options):
            raise PlainError(f"{answer!r}: the answers to {of!r} are 1 to {len(options)}.")
        chosen = options[int(number) - 1]
        said |= chosen["columns"]
        lanes |= lanes_from_json(chosen["lanes"])
    return said, lanes
