"""Changing fields of a record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..planning.verdicts import Verdict
from ..records import VERSION
from .results import Settled, WriteResult
from .strategies import Rules, Write, WriteStrategy, holds, moved, refusal, unclear


class Update(WriteStrategy):
    """Fields of a record that is there. Only those that were edited are written."""

    verdict = Verdict.UPDATE

    def just_before(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> WriteResult | None:
        if now is None:
            return refusal(write, "gone-meanwhile")
        changed = moved(now, write.before)
        return refusal(write, "changed-meanwhile", changed[0], *changed) if changed else None

    def after_clash(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        refused = self.just_before(write, now, rules)
        return Settled(refused, None if now is None else now.get(VERSION))

    def settle(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        if now is None:
            return Settled(refusal(write, "gone-meanwhile"))
        if holds(now, write.values):
            return Settled(self.done(write, now))
        # ABA: another version with the old values can be our write, undone by someone since; sent again, it would undo
        # their change.
        if write.version is not None:
            untouched = now.get(VERSION) == write.version
        else:
            untouched = not moved(now, write.before)
        return Settled(None, write.version) if untouched else Settled(unclear(write, "changed-in-between"))
