"""What can be wrong with a row, as data: a code, the field at fault, and what the words need to be made of it.

Words are made at the edge. The order of ``CODES`` is the order of weight: of all that is wrong with a row the first
says its verdict.
"""

from __future__ import annotations

from enum import StrEnum


class Does(StrEnum):
    """What a fault does to its row."""

    ASIDE = "aside"
    REJECTS = "rejected"
    HOLDS = "held"
    SAYS = "says"


CELL_CODES = (
    "letter-for-figure",
    "decimal-comma",
    "not-a-number",
    "too-large",
    "too-fine",
    "not-yes-or-no",
    "not-a-date",
    "not-a-moment",
    "not-a-choice",
    "too-long",
    "unknown-mark",
    "names-none",
    "names-several",
    "not-read",
    "lost-character",
    "not-in-list",
    "no-number-form",
    "no-arithmetic",
    "no-date-form",
    "no-phone",
    "look-up-none",
    "look-up-several",
)
CODES: dict[str, Does] = {
    "set-aside": Does.ASIDE,
    "left-out": Does.ASIDE,
    "not-meant": Does.ASIDE,
    "exists": Does.ASIDE,
    "not-allowed": Does.REJECTS,
    "other-part": Does.REJECTS,
    "outside-reach": Does.REJECTS,
    "key-blank": Does.REJECTS,
    "key-unread": Does.REJECTS,
    **dict.fromkeys(CELL_CODES, Does.REJECTS),
    "required-empty": Does.REJECTS,
    "required-new": Does.REJECTS,
    "required-column": Does.REJECTS,
    "finds-several": Does.REJECTS,
    "unknown-identifier": Does.REJECTS,
    "not-found": Does.REJECTS,
    "unclear": Does.HOLDS,
    "near-key": Does.HOLDS,
    "several": Does.HOLDS,
    "like-record": Does.HOLDS,
    "like-row": Does.HOLDS,
    "copied": Does.HOLDS,
    "may-be-in": Does.HOLDS,
    "gone": Does.HOLDS,
    "renamed": Does.HOLDS,
    "swapped": Does.HOLDS,
    "identifier-differs": Does.HOLDS,
    "identifier-without-key": Does.HOLDS,
    "deleted-before": Does.HOLDS,
    "changed-since": Does.HOLDS,
    "pointed": Does.HOLDS,
    "key-asked": Does.HOLDS,
    "column-asked": Does.HOLDS,
    "both-changed": Does.HOLDS,
    "key-edited": Does.HOLDS,
    "duplicate-row": Does.HOLDS,
    "key-circle": Does.HOLDS,
    "duplicate": Does.HOLDS,
    "emptied-many": Does.HOLDS,
    "lost-point": Does.HOLDS,
    "far-out": Does.HOLDS,
    "check-differs": Does.HOLDS,
    "damaged": Does.HOLDS,
    "depends": Does.HOLDS,
    "depends-circle": Does.HOLDS,
    "twin": Does.ASIDE,
    "shared": Does.HOLDS,
    "other-counts": Does.ASIDE,
    "emptied": Does.SAYS,
}
"""``twin`` and ``shared`` are found among rows that nothing else stops; ``damaged``, ``depends`` and
``pointed`` in the plan that was made; ``emptied`` stops none, it is only asked."""

OUTCOME_CODES = (
    "refused",
    "changed-meanwhile",
    "gone-meanwhile",
    "made-meanwhile",
    "batch-too-large",
    "no-answer",
    "found-otherwise",
    "changed-in-between",
    "given-up",
    "undone-with-group",
    "left-half-way",
    "parent-not-in",
)
"""Why a row that was sent is not in: the application's own reason (``refused``), or one of Vexo's."""
KEY_CODES = frozenset(
    {
        "near-key",
        "not-found",
        "several",
        "like-record",
        "like-row",
        "finds-several",
        "copied",
        "shared",
        "gone",
        "renamed",
        "swapped",
        "identifier-differs",
        "identifier-without-key",
    }
)
"""Faults about which record a row is: they are a list of their own where keys are chosen."""
ALL_CODES = (*CODES, *OUTCOME_CODES)
