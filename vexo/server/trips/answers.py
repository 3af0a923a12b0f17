"""Answers to faults, in words: one list for the API, the command line and the screens."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from vexo.core.planning.verdicts import Answer, RowState, answers_for_group, answers_for_row, answers_to

from .facts.rows import AnswerOption

_WORDS: Mapping[Answer, str] = {
    Answer.FILE: "Use the file",
    Answer.APPLICATION: "Keep application",
    Answer.ASIDE: "Set aside",
    Answer.LEAVE_OUT: "Leave this cell out, carry the rest",
    Answer.THEN: "It is the record it was",
    Answer.NOW: "It is the one with the key now",
    Answer.RECORD: "It is this record",
    Answer.NEW: "It is not there",
    Answer.AGAIN: "Take it up again",
    Answer.CLEAR: "Clear this field",
    Answer.LEAVE: "Leave it",
    Answer.GO_ON: "Go on all the same",
}
_OF_A_CODE: Mapping[tuple[str, Answer], str] = {
    ("damaged", Answer.FILE): "It is meant",
    ("changed-since", Answer.FILE): "Delete it all the same",
    ("emptied-many", Answer.FILE): "Clear them all the same",
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


def options_for_fault(code: str, *, has_record: bool = False) -> list[AnswerOption]:
    """The answers to one fault of a row."""
    return [
        AnswerOption(answer, words_of(answer, code, has_record=has_record), answer == Answer.RECORD)
        for answer in answers_to(code)
    ]


def options_for_row(state: RowState, codes: Iterable[str]) -> list[AnswerOption]:
    """The answers that are for a row as a whole."""
    return [AnswerOption(answer, words_of(answer)) for answer in answers_for_row(state, codes)]


def options_for_group(code: str) -> list[AnswerOption]:
    """The answers that can be given at once for all rows with a fault."""
    return [AnswerOption(answer, words_of(answer, code)) for answer in answers_for_group(code)]
