"""Options that say the lanes of fields, and what is still asked about columns."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from vexo.core.columns.lanes import PLAIN, Blank, Lane, LaneError, lanes_from_json
from vexo.core.planning.verdicts import WRITTEN

from .options import refuse_twice

if TYPE_CHECKING:
    from vexo.server.trips.facts.open import OpenItem
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


def _refuse_both(laning: Laning) -> None:
    """Raises PlainError where options say two things of one field, of which one would count."""

    def fields(pairs: tuple[str, ...]) -> list[str]:
        return [pair.partition("=")[0] for pair in pairs]

    refuse_twice("field", {"--set": fields(laning.fixed), "--add": fields(laning.added)})
    refuse_twice("field", {"--blank": fields(laning.blanks), "--default": fields(laning.defaults)})
    refuse_twice("field", {"--blank": fields(laning.blanks), "--default-updates": laning.updates})
    refuse_twice("field", {"--only-if-empty": laning.only_empty, "--always": laning.always})


def lanes_said(laning: Laning, before: dict[str, Lane], carried: list[str]) -> dict[str, Lane]:
    """The lanes that options change, on top of those that there are; ``*`` stands for every carried field.

    Raises:
        PlainError, LaneError, TreatmentError
    """
    from vexo.server.errors import PlainError

    _refuse_both(laning)
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
    for name in laning.updates:
        if name != "*" and changed[name].blank != Blank.DEFAULT:
            raise PlainError(f"{name} has no default that could count for all records: --default {name}=TEXT.")
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


def open_of(view: PartView) -> list[OpenItem]:
    """All that waits for a person on a trip."""
    from vexo.server.trips.status import TripStatus

    return TripStatus(view).open


def open_json(view: PartView) -> dict[str, Any]:
    """What waits for a person on a trip, and what is only said, as commands tell it with --json."""
    from vexo.server.trips.facts import to_json
    from vexo.server.trips.status import TripStatus

    status = TripStatus(view)
    return {"open": to_json(status.open), "said": to_json(status.said)}


def _of(item: OpenItem) -> str:
    """By which word an item is answered: the field or the column's header, else what kind of thing it is."""
    return item.of or item.code


def print_open(view: PartView) -> None:
    """Say on the standard error all that is open, each with the ways to answer, and what nothing waits for; nothing
    passes in silence."""
    from vexo.server.trips.status import TripStatus

    status = TripStatus(view)
    trip, items, counts = view.trip.pk, status.open, Counter[str]()
    for item in items:
        click.echo(f"{'?' if item.stops else '!'} {item.says}" + _behind(item), err=True)
        for option in item.options:
            counts[_of(item)] += 1
            click.echo(f"    {_of(item)}={counts[_of(item)]}  {option.says}", err=True)
        for answer in item.answers:
            of = f" --field {item.field}" if item.field else ""
            click.echo(f"    {answer.says}: vexo decide {trip} '{answer.answer}' --code {item.code}{of}", err=True)
        if item.code == "damage":
            click.echo(f"    Put them back: vexo edit {trip} --repair", err=True)
            if item.field:
                meant = f"vexo decide {trip} 'file' --code damaged --field {item.field}"
                click.echo(f"    They are meant: {meant}", err=True)
    for item in status.said:
        click.echo(f"- {item.says}" + _behind(item), err=True)
    first = next((item for item in items if item.options), None)
    if first is not None:
        click.echo(f"Answer with: vexo columns {trip} --answer '{_of(first)}=1'", err=True)


def _behind(item: OpenItem) -> str:
    """How many rows are behind it."""
    if item.state is None:
        return ""
    state = f"to {item.state}" if item.state.value in [verdict.value for verdict in WRITTEN] else item.state
    return f" ({item.count:,} {'row' if item.count == 1 else 'rows'} {state})"


@dataclass
class Answered:
    """What answers to questions change: header → field, field → lane, and whether the trip goes on without the columns
    of its route that the sheet lacks."""

    columns: dict[str, str]
    lanes: dict[str, Lane]
    without: bool = False
    marks: bool = False


def answered(view: PartView, answers: tuple[str, ...]) -> Answered:
    """What answers change. Raises PlainError."""
    from vexo.server.errors import PlainError

    chosen_answers = Answered({}, {})
    asked: dict[str, list[dict[str, Any]]] = {}
    for item in open_of(view):
        asked.setdefault(_of(item), []).extend(asdict(option) for option in item.options)
    for one in questions_of(view):
        # Many columns that nothing is known of are one question, and each is answered by itself, too.
        if not asked.get(one["of"]):
            asked[one["of"]] = one["options"]
    for answer in answers:
        of, _, number = answer.rpartition("=")
        options = asked.get(of)
        if not options:
            words = ", ".join(name for name, some in asked.items() if some) or "nothing"
            raise PlainError(f"Nothing is asked about {of!r}. Asked about: {words}.")
        if not number.isdecimal() or not 1 <= int(number) <= len(options):
            raise PlainError(f"{answer!r}: the answers to {of!r} are 1 to {len(options)}.")
        chosen = options[int(number) - 1]
        chosen_answers.columns |= chosen["columns"]
        chosen_answers.lanes |= lanes_from_json(chosen["lanes"])
        chosen_answers.without = chosen_answers.without or chosen["without"]
        chosen_answers.marks = chosen_answers.marks or chosen["marks"]
    return chosen_answers
