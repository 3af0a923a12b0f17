"""Taking a record away."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..planning.verdicts import Verdict
from ..records import VERSION
from .results import Settled, WriteResult
from .strategies import Rules, Write, WriteStrategy, moved, refusal


class Delete(WriteStrategy):
    """A record that goes as a whole; ``before`` is all of it, as it was reviewed."""

    verdict = Verdict.DELETE

    def _untouched(self, write: Write, now: Mapping[str, Any], rules: Rules) -> bool:
        if rules.versions and write.version is not None:
            return bool(now.get(VERSION) == write.version)
        return not moved(now, write.before)

    def just_before(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> WriteResult | None:
        if now is None:
            return refusal(write, "gone-meanwhile")
        changed = moved(now, write.before)
        return refusal(write, "changed-meanwhile", changed[0], *changed) if changed else None

    def after_clash(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        return Settled(refusal(write, "gone-meanwhile" if now is None else "changed-meanwhile"))

    def settle(self, write: Write, now: Mapping[str, Any] | None, rules: Rules) -> Settled:
        if now is None:
            return Settled(self.done(write, None))
        if self._untouched(write, now, rules):
            return Settled(None, now.get(VERSION))
        return Settled(refusal(write, "changed-meanwhile"))
