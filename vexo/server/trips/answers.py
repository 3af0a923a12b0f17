"""Answers to faults, in words: one list for the API, the command line and the screens."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace

from vexo.core.planning.guards import GuardCode
from vexo.core.planning.verdicts import ABSENT_CODE, Answer, RowState, answers_for_group, answers_for_row, answers_to

from .facts.rows import AnswerOption

_WORDS: Mapping[Answer, str] = {
    Answer.FILE: "Use the file",
    Answer.APPLICATION: "Keep application",
    Answer.MERGE: "Keep both edits",
    Answer.ASIDE: "Set aside",
    Answer.LEAVE_OUT: "Leave this cell out, carry the rest",
    Answer.THEN: "It is the record it was",
    Answer.NOW: "It is the one with the key now",
    Answer.RECORD: "It is this record",
    Answer.NEAREST: "It is the nearest record",
    Answer.NEW: "It is not there",
    Answer.COUNTS: "This row counts, the others are set aside",
    Answer.AGAIN: "Take it up again",
    Answer.CLEAR: "Clear this field",
    Answer.LEAVE: "Leave it",
    Answer.GO_ON: "Go on all the same",
    Answer.DELETE: "Delete them",
    Answer.KEEP: "Keep them",
    Answer.THROUGH: "Write it through this value first",
}
_OF_A_CODE: Mapping[tuple[str, Answer], str] = {
    ("damaged", Answer.FILE): "It is meant",
    ("changed-since", Answer.FILE): "Delete it all the same",
    ("pointed", Answer.FILE): "Delete it all the same",
    ("duplicate-row", Answer.FILE): "Send it all the same",
    ("duplicate", Answer.FILE): "Send it all the same",
    ("lost-point", Answer.FILE): "It is meant",
    ("far-out", Answer.FILE): "It is meant",
    ("emptied-many", Answer.FILE): "Clear them all the same",
    ("copied", Answer.NEW): "It is a new record",
    ("copied", Answer.THEN): "It is the same record",
    ("near-key", Answer.NEW): "Create a new one",
    ("gone", Answer.NEW): "Create it anew",
    ("like-record", Answer.NEW): "Create a new one",
    ("like-row", Answer.NEW): "Create it too",
    ("identifier-differs", Answer.THEN): "It is the record with this ID",
    ("identifier-differs", Answer.NOW): "It is the one with this key",
    ("identifier-without-key", Answer.THEN): "It is the record with this ID",
    ("identifier-without-key", Answer.NEW): "It is new: create it",
    ("may-be-in", Answer.NEW): "It is not in: create it",
    ("deleted-before", Answer.NEW): "Create it again",
}


def words_of(answer: Answer, code: str = "", *, has_record: bool = False) -> str:
    """An answer as a person reads it.

    Args:
        code: the fault that it answers.
        has_record: the row is known to be about a record.
    """
    if code == "unclear" and answer == Answer.NEW and has_record:
        return "Compare it again"
    return _OF_A_CODE.get((code, answer), _WORDS[answer])


def options_for_fault(
    code: str, arguments: Sequence[str] = (), *, has_record: bool = False, takes_back: bool = False
) -> list[AnswerOption]:
    """The answers to one fault of a row.

    Args:
        arguments: those of the fault; of a key that is near to others, or finds several, these and the IDs of their
            records.
        takes_back: the row takes back what was written; leaving what a colleague changed since is offered first then.
    """
    options = [
        AnswerOption(
            answer,
            words_of(answer, code, has_record=has_record),
            answer == Answer.RECORD,
            needs_value=answer == Answer.THROUGH,
        )
        for answer in answers_to(code)
        if answer != Answer.NEAREST
    ]
    if code == "both-changed":
        merging = _merging(options, arguments)
        return sorted(merging, key=lambda one: takes_back and one.answer != Answer.APPLICATION)
    if code in ("several", "like-record"):
        return [*_each(arguments), *options]
    return [*_near(arguments), *options] if code in ("near-key", "not-found") else options


def _merging(options: Sequence[AnswerOption], arguments: Sequence[str]) -> list[AnswerOption]:
    """The answers to a conflict: with both edits only where it is about a list, which is named."""
    if not arguments:
        return [option for option in options if option.answer != Answer.MERGE]
    says = f"Keep both edits: {arguments[0] or 'empty'}"
    return [replace(option, says=says) if option.answer == Answer.MERGE else option for option in options]


def _near(arguments: Sequence[str]) -> list[AnswerOption]:
    """For each record that a key is near to, that it is this one."""
    options = _each(arguments)
    return [AnswerOption(Answer.NEAREST, options[0].says)] if len(options) == 1 else options


def _each(arguments: Sequence[str]) -> list[AnswerOption]:
    """For each record that a fault names, that the row is about it."""
    shown, ids = (str(text or "") for text in (*arguments[1:3], "", "")[:2])
    pairs = zip(shown.split("\n"), ids.split(","), strict=False) if ids else ()
    return [AnswerOption(Answer.RECORD, f"It is {text}", argument=identifier) for text, identifier in pairs]


def options_for_row(state: RowState, codes: Iterable[str]) -> list[AnswerOption]:
    """The answers that are for a row as a whole."""
    return [AnswerOption(answer, words_of(answer)) for answer in answers_for_row(state, codes)]


_OF_A_GUARD: Mapping[GuardCode, str] = {
    GuardCode.MANY_CHANGES: "So many changes are meant",
    GuardCode.MANY_DELETES: "So many deletions are meant",
    GuardCode.MOSTLY_NEW: "They are new",
    GuardCode.MAKES_SAME: "They are to be deleted",
    GuardCode.FIELD_EMPTIED: "They are to be cleared",
    GuardCode.ALL_ALIKE: "It is meant",
}


def options_for_guard(code: GuardCode) -> list[AnswerOption]:
    """The answers to what is asked about the whole plan."""
    return [AnswerOption(Answer.GO_ON, _OF_A_GUARD[code])]


def guard_answer_words(code: str) -> str:
    """The answer to what is asked about the whole plan, as a person reads it."""
    return _OF_A_GUARD[GuardCode(code)]


def options_for_absent() -> list[AnswerOption]:
    """The answers about records that the sheet does not have, and whose deletion is held."""
    return [AnswerOption(answer, words_of(answer)) for answer in answers_to(ABSENT_CODE)]


def options_for_group(code: str, arguments: Sequence[str] = ()) -> list[AnswerOption]:
    """The answers that can be given at once for all rows with a fault.

    Args:
        arguments: those of one of these faults.
    """
    options = [AnswerOption(answer, words_of(answer, code)) for answer in answers_for_group(code)]
    merges = code != "both-changed" or bool(arguments)
    return [option for option in options if merges or option.answer != Answer.MERGE]
