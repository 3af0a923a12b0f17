"""Making a record."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from ..keys.record_keys import is_declared
from ..planning.verdicts import Verdict
from ..records import RecordType
from .results import Settled, WriteResult
from .strategies import Rules, Write, WriteStrategy, holds, refusal, unclear

SETTLED = "settled"
"""The code of a record of which no answer said that it was made: it was found as it was sent, and may be another's."""


def telling_key(record_type: RecordType, write: Write, key: tuple[str, ...] = ()) -> tuple[str, ...] | None:
    """The unique key, declared by the application itself, by which this new record can be looked for.

    Args:
        key: the plan's own key, which is taken first: by it the record was looked for already.
    """
    ways = [*[k for k in record_type.keys if k == key], *[k for k in record_type.keys if k != key]]
    for names in ways:
        if all(write.values.get(name) is not None for name in names):
            return names
    return None


class Create(WriteStrategy):
    """A new record. It cannot be told from another's by its ID, only by a unique key."""

    verdict = Verdict.CREATE

    def just_before(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> WriteResult | None:
        """A key of which the application promises nothing is looked up once more: nothing else keeps a record from
        being made twice."""
        if now is None or is_declared(rules.key, rules.record_type):
            return None
        return refusal(write, "made-meanwhile", rules.key[0])

    def after_clash(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        return Settled(unclear(write, "no-answer"))

    def settle(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        key = telling_key(rules.record_type, write, tuple(rules.key))
        if key is None:
            return Settled(unclear(write, "no-answer"))
        if now is None:
            return Settled()
        if key == tuple(rules.key) and holds(now, write.values):
            return Settled(replace(self.done(write, now), code=SETTLED))
        return Settled(unclear(write, "found-otherwise"))
