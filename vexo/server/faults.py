"""Fault codes and reasons → sentences for people. The one place where a row's fault gets its words."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from typing import Protocol

from vexo.core.planning.guards import GuardCode
from vexo.core.planning.verdicts import AbsentWhy
from vexo.core.wording import thousands

Words = Callable[[str, Sequence[str]], str]


def _said(arguments: Sequence[str], at: int, otherwise: str = "") -> str:
    return arguments[at] if at < len(arguments) and arguments[at] else otherwise


def _counted(arguments: Sequence[str], at: int) -> str:
    """A count with its thousands told apart."""
    return f"{thousands(int(_said(arguments, at, '0')))}"


def _decimals(label: str, arguments: Sequence[str]) -> str:
    most = _said(arguments, 0, "0")
    return (
        f"{label} takes no decimals; round it." if most == "0" else f"{label} takes at most {most} decimals; round it."
    )


def _choice(label: str, arguments: Sequence[str]) -> str:
    which = f": {arguments[0]!r} is none of them" if _said(arguments, 0) else ""
    return f"{label} is none of its choices{which}.{_nearest(arguments, 2)} They are {_said(arguments, 1)}."


def _names_none(label: str, arguments: Sequence[str]) -> str:
    what, by = _said(arguments, 0, "record").lower(), _said(arguments, 1).lower().rstrip(".")
    if not by:
        return (
            f"{label} names no {what}: record IDs of a sheet from elsewhere do not count. Look it up with a lane, by "
            f"what the sheet knows of the {what}."
        )
    return f"{label} names no {what}; write its {by}.{_nearest(arguments, 2)}"


def _nearest(arguments: Sequence[str], at: int) -> str:
    return f" Nearest: {arguments[at]}." if _said(arguments, at) else ""


def _not_found(label: str, arguments: Sequence[str]) -> str:
    near = f" Nearest: {_either(arguments, 1)}." if _said(arguments, 1) else ""
    return f"No {_said(arguments, 0, 'record').lower()} has this key.{near}"


def _either(arguments: Sequence[str], at: int) -> str:
    """Several keys, a line each, as words."""
    return _said(arguments, at).replace("\n", " or ")


def _changed(label: str, arguments: Sequence[str]) -> str:
    what = ", ".join(arguments) or "The record"
    return f"{what} was changed by someone else after the review; plan again and decide."


_WORDS: Mapping[str, Words] = {
    "set-aside": lambda f, a: "Set aside by hand.",
    "left-out": lambda f, a: "Left out at File.",
    "not-meant": lambda f, a: "Left out by the sheet's condition.",
    "exists": lambda f, a: "The record exists already.",
    "outside-reach": lambda f, a: (
        f"This {_said(a, 0, 'record').lower()} is outside the reach of the trip. Widen it at Keys, if that is meant."
    ),
    "other-part": lambda f, a: f"This record went out in the part “{_said(a, 0)}”; bring it in there.",
    "twin": lambda f, a: f"Says the same as row {_said(a, 0)}." if a else "Says the same as an earlier row.",
    "key-blank": lambda f, a: f"The key is blank or partly blank; fill in {f}.",
    "key-unread": lambda f, a: (
        f"{words(_said(a, 0), f, a[1:])} No record is looked for with a key that cannot be read."
    ),
    "lost-character": lambda f, a: f"{f} holds a character that was lost on the way. Type the cell anew.",
    "letter-for-figure": lambda f, a: f"{f} is not a number: a letter stands for a figure (O for 0, l for 1).",
    "decimal-comma": lambda f, a: f"{f} is not a number: write a point before the decimals.",
    "not-a-number": lambda f, a: f"{f} is not a number.",
    "too-large": lambda f, a: f"{f} is too large.",
    "too-fine": _decimals,
    "not-yes-or-no": lambda f, a: f"{f} is neither yes nor no; write yes or no.",
    "not-a-date": lambda f, a: f"{f} is not a date; write it as 2026-11-16.",
    "not-a-moment": lambda f, a: f"{f} is not a moment; write it as 2026-11-16T09:30:00Z.",
    "not-a-choice": _choice,
    "too-long": lambda f, a: f"{f} is longer than {_said(a, 0)} characters.",
    "unknown-mark": lambda f, a: (
        f"{f} begins with [ but is not a mark; marks are {_said(a, 0)}, a real [ is written [[."
    ),
    "names-none": _names_none,
    "names-several": lambda f, a: f"{f} names more than one {_said(a, 0).lower()}; write its record ID.",
    "not-in-list": lambda f, a: f"{_said(a, 0)!r} is not in the value list of {f}. Add it there, or change the cell.",
    "no-number-form": lambda f, a: (
        f"{f} is not a number in the form that its lane reads. Write it so, or change the form."
    ),
    "no-arithmetic": lambda f, a: f"{f} is not a number, or too large to be reckoned with. Write a plain number.",
    "no-date-form": lambda f, a: (
        f"{f} is not a day with {_said(a, 0, 'its day first')}. Write it so, or change the form."
    ),
    "no-phone": lambda f, a: f"{f} is not a phone number of 7 to 15 figures. Write it out, or treat it as blank.",
    "look-up-none": lambda f, a: f"{f} was looked up by {_said(a, 0)} and not found. Correct the cell or the table.",
    "look-up-several": lambda f, a: f"{f} was looked up by {_said(a, 0)} and has several values there. Say which one.",
    "check-differs": lambda f, a: (
        f"{f} is only checked: the sheet says {_said(a, 0, 'nothing')!r}, the application {_said(a, 1, 'nothing')!r}."
    ),
    "damaged": lambda f, a: (
        f"A spreadsheet seems to have made {_said(a, 0, 'this')!r} of what stood in {f}"
        + (f": {a[1]!r}." if _said(a, 1) else ".")
        + " Put it back, or say that it is meant."
    ),
    "not-read": lambda f, a: f"{f} cannot be read as what the field holds.",
    "required-empty": lambda f, a: f"{f} is required and would be empty; give it a value.",
    "required-new": lambda f, a: f"{f} is required for a new {_said(a, 0, 'record').lower()}; fill it in.",
    "required-column": lambda f, a: f"A new {_said(a, 0, 'record').lower()} needs {f}; add that column.",
    "finds-several": lambda f, a: f"The key finds {_said(a, 0)} {_said(a, 1).lower()}; choose a key that finds one.",
    "unknown-identifier": lambda f, a: "This record ID is not known; leave it blank for a new record.",
    "not-found": _not_found,
    "several": lambda f, a: f"The key finds {_said(a, 3)} {_said(a, 0).lower()}: which one is it?",
    "like-record": lambda f, a: (
        f"This row is like {_either(a, 1)}: is it that {_said(a, 0, 'record').lower()}, or new?"
    ),
    "like-row": lambda f, a: f"This row is like row {_said(a, 1)}: is it another {_said(a, 0, 'record').lower()}?",
    "near-key": lambda f, a: (
        f"No {_said(a, 0, 'record').lower()} has this key, and it is near to {_either(a, 1)}: is it that one, or new?"
    ),
    "unclear": lambda f, a: (
        "An earlier pass got no answer for this row. Look it up: which record is it, or is it not there?"
    ),
    "may-be-in": lambda f, a: (
        "This row may already be in: an earlier pass made records that no row of this sheet is known for."
    ),
    "gone": lambda f, a: "The record was deleted in the application since the sheet went out.",
    "renamed": lambda f, a: "The record has another key in the application now than when the sheet went out.",
    "swapped": lambda f, a: "The key belongs to another record in the application now than when the sheet went out.",
    "identifier-differs": lambda f, a: "The record ID and the key point to different records.",
    "identifier-without-key": lambda f, a: (
        f"The key finds no record, but the row has the record ID {_said(a, 0)}: was the key mistyped?"
    ),
    "deleted-before": lambda f, a: "An earlier pass deleted this row's record, and the row was edited since.",
    "changed-since": lambda f, a: "The record was changed since it went out, or since a pass last had it.",
    "pointed": lambda f, a: f"Others point to this record since it was made: {_said(a, 0)}.",
    "key-asked": lambda f, a: f"{f}: what is asked of its column has no answer yet, so no record is looked for by it.",
    "column-asked": lambda f, a: f"{f}: what is asked of its column has no answer yet, so nothing is written from it.",
    "both-changed": lambda f, a: f"{f} was also changed in the application since it went out or was reviewed.",
    "key-edited": lambda f, a: f"{f} is a key and was edited: is the record to be renamed?",
    "lost-point": lambda f, a: (
        f"{f} would go from {_said(a, 0)} to {_said(a, 1)}: has a decimal point been lost, or got in?"
    ),
    "far-out": lambda f, a: (
        f"{f} would be {_said(a, 0)}, far from what is there"
        + (f": half of its {_counted(a, 3)} values lie from {_said(a, 1)} to {_said(a, 2)}." if _said(a, 3) else ".")
    ),
    "duplicate-row": lambda f, a: f"{f} is unique, and rows {_said(a, 0)} write the same.",
    "key-circle": lambda f, a: (
        f"Rows {_said(a, 0)} take {f} from one another in a circle, so none can go first. Say a value that is "
        "free, through which this one goes."
    ),
    "duplicate": lambda f, a: f"{f} is unique, and {_said(a, 0)} has this value and keeps it.",
    "emptied-many": lambda f, a: f"{f} would be cleared in more rows than this application's limit for a column.",
    "emptied": lambda f, a: f"{f} was emptied in the sheet; the record is left as it is.",
    "other-counts": lambda f, a: f"Row {_said(a, 0)} is about the same record, and counts.",
    "copied": lambda f, a: (
        f"Another row has the same record ID, and {f} as it went out: was this row copied to make a new "
        f"{_said(a, 0, 'record').lower()}?"
    ),
    "shared": lambda f, a: f"Rows {_said(a, 0)} are about the same record and say different things.",
    "refused": lambda f, a: _said(a, 0, "The application gave no reason."),
    "changed-meanwhile": _changed,
    "made-meanwhile": lambda f, a: "A record with this key has been made since the review; plan again and decide.",
    "gone-meanwhile": lambda f, a: "The record was deleted in the application after the review.",
    "batch-too-large": lambda f, a: "The application does not take this row for its size.",
    "no-answer": lambda f, a: "The answer never came, and nothing unique in the row tells whether it was made.",
    "found-otherwise": lambda f, a: "The answer never came; a record with this key is there, but not as it was sent.",
    "changed-in-between": lambda f, a: "The answer never came, and the record has been changed again since.",
    "given-up": lambda f, a: "The pass was given up before it was known whether this row is in.",
    "left-half-way": lambda f, a: (
        f"{f} holds {_said(a, 0)} now: the record went through it, and then could not have its own value. {_said(a, 1)}"
    ).strip(),
    "not-allowed": lambda f, a: (
        f"To {_said(a, 0)} records of this type is off here: the application's administrator has said so."
    ),
    "depends": lambda f, a: f"{f} is the record of row {_said(a, 0)}, which is not going to make one.",
    "depends-circle": lambda f, a: (
        f"Rows {_said(a, 0)} refer to one another by {f} in a circle, so none can go first."
        if "," in _said(a, 0)
        else f"{f} is the row's own new record, which is not there before it goes."
    ),
    "parent-not-in": lambda f, a: f"Not sent: {f} is the record of row {_said(a, 0)}, which is not in.",
    "undone-with-group": lambda f, a: "Not written, since another row was refused and all were to go or none.",
}
_GROUPS: Mapping[str, str] = {
    "twin": "Says the same as an earlier row.",
    "other-counts": "Another row about the same record counts.",
    "lost-point": "A number is ten, a hundred or a thousand times what is there, or that part of it: is it meant?",
    "far-out": "A number or day lies far outside of what the application holds in its field: is it meant?",
    "duplicate-row": "A field is unique, and several rows write the same value into it.",
    "key-circle": "Rows take a unique value from one another in a circle, so none can go first.",
    "depends": "A row refers to the record of another row, which is not going to make one.",
    "depends-circle": "Rows refer to one another's new records in a circle, so none can go first.",
    "pointed": "Others point to a record since it was made here: is it to be deleted all the same?",
    "parent-not-in": "Not sent, since the row whose record it refers to is not in.",
    "duplicate": "A field is unique, and another record has the value and keeps it.",
    "shared": "Rows are about the same record and say different things.",
    "key-unread": "A cell of the key cannot be read, and no record is looked for without it.",
    "not-found": "No record has the row's key.",
    "several": "The key finds more than one record: which one is each row about?",
    "like-record": "A record that is there has the same name, mail address or phone: is it that one, or a new one?",
    "like-row": "A row before it has the same name, mail address or phone: is it another record?",
    "near-key": "No record has the row's key, and one has a key that is near: is it that one, or a new one?",
    "identifier-without-key": "The key finds no record, but the row has a record ID: was the key mistyped?",
    "finds-several": "The key finds more than one record; choose a key that finds one.",
}


def words(code: str, label: str = "", arguments: Sequence[str] = ()) -> str:
    """The sentence of one row's fault; ``label`` is its field as people know it."""
    say = _WORDS.get(code)
    return say(label or "The cell", [a or "" for a in arguments]) if say else code


def group_words(code: str, label: str = "", arguments: Sequence[str] = ()) -> str:
    """The sentence for many rows with the same fault, whatever differs between them."""
    return _GROUPS.get(code) or words(code, label, arguments)


def known(code: str) -> bool:
    """Whether there are words for a code."""
    return code in _WORDS


class SpokenGuard(Protocol):
    """What is told of a guard of the whole plan."""

    @property
    def code(self) -> GuardCode: ...
    @property
    def count(self) -> int: ...
    @property
    def of(self) -> int: ...
    @property
    def label(self) -> str: ...
    @property
    def value(self) -> str: ...
    @property
    def asks(self) -> bool: ...


def guard_words(guard: SpokenGuard) -> str:
    """What is asked about a whole plan, or said of it."""
    count, of = guard.count, guard.of
    share = f" of {thousands(of)} ({count / of:.0%})" if of else ""
    does, asks = {
        GuardCode.MANY_CHANGES: (
            f"{thousands(count)}{share} records of this type would be changed.",
            "Are so many meant?",
        ),
        GuardCode.MANY_DELETES: (
            f"{thousands(count)}{share} records of this type would be deleted.",
            "Are so many meant?",
        ),
        GuardCode.MOSTLY_NEW: (
            f"{thousands(count)} new records would be made, and only {thousands(of)} changed.",
            "Are they new?",
        ),
        GuardCode.FIELD_EMPTIED: (
            f"{thousands(count)}{share} values of {guard.label} would be cleared.",
            "Is that meant?",
        ),
        GuardCode.ALL_ALIKE: (
            f"{guard.label} changes in {thousands(count)} rows, and in all of them to {guard.value}.",
            "Is that meant?",
        ),
        GuardCode.MAKES_SAME: (
            f"{_records(count)} that the sheet does not have would be deleted.",
            f"{'Is it' if count == 1 else 'Are they'} to go?",
        ),
    }[guard.code]
    return f"{does} {asks}" if guard.asks else does


def _records(count: int) -> str:
    return "1 record" if count == 1 else f"{thousands(count)} records"


def absent_words(count: int, reasons: Collection[AbsentWhy] = ()) -> str:
    """What is asked about records whose deletion is held.

    Args:
        reasons: why.
    """
    is_not = "is" if count == 1 else "are"
    whys = {AbsentWhy.CHANGED: "was changed since", AbsentWhy.POINTED: "has something that points to it by now"}
    since = [why for reason, why in whys.items() if reason in reasons]
    if since:
        each = "It" if count == 1 else "Each"
        return f"{_records(count)} that this trip made {is_not} held. {each} {' or '.join(since)}: delete or keep?"
    return (
        f"{_records(count)} in reach {is_not} not in this sheet. It did not go out from here, so nothing tells that it "
        f"ever had {'it' if count == 1 else 'them'}: delete or keep?"
    )


_ABSENT: Mapping[AbsentWhy, str] = {
    AbsentWhy.NOT_SENT: "The sheet did not go out from here, so nothing tells that it ever had the record.",
    AbsentWhy.MADE_SINCE: "It did not go out with the sheet.",
    AbsentWhy.CHANGED: "It was changed since the sheet went out.",
    AbsentWhy.POINTED: "It was made here, and others point to it since.",
    AbsentWhy.MAY_BE_MEANT: "A row that waits, was set aside or makes a record may be about it.",
    AbsentWhy.ROW_UNKNOWN: "A row that waits has no key that can be read, and may be about it.",
    AbsentWhy.OTHER_PART: "It went out in another part of the trip.",
    AbsentWhy.PARTS_OUT: "Parts of the trip are not back yet.",
    AbsentWhy.NOT_ALLOWED: "Deleting records of this type is off here, by the administrator's rules.",
    AbsentWhy.ANSWERED: "As it was answered.",
}


def absent_reason_words(reason: AbsentWhy) -> str:
    """Why a record that the sheet does not have is not simply deleted."""
    return _ABSENT[reason]
