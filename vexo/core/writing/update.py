"""Changing fields of a record."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..planning.verdicts import Verdict
from ..records import VERSION
from .answers import Answer, Settled
from .operations import Operation, Rules, Write, holds, moved, refusal, unclear


class Update(Operation):
    """Fields of a record that is there. Only those that were edited are written."""

    verdict = Verdict.UPDATE

    def just_before(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Answer | None:
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
        # Another version with the old values can be ours, undone by someone since: sent again it would undo them.
        if write.version is not None:
            untouched = now.get(VERSION) == write.version
        else:
            untouched = not moved(now, write.before)
        return Settled(None, write.version) if untouched else Settled(unclear(write, "changed-in-between"))

    def as_sent(self, write: Write, now: Mapping[str, Any] | None) -> list[str]:
        if now is None:
            return list(write.values)
        return [name for name, value in write.values.items() if not holds(now, {name: value})]

    def reverse(self, write: Write, answer: Answer) -> Write:
        back = {name: write.before[name] for name in write.values}
        return Write(
            write.at, write.row_id, Verdict.UPDATE, write.identifier, answer.version, back, dict(answer.values)
        )
