"""Settling a batch that went out and has no answer: asked again where the application promises, else by reading."""

from __future__ import annotations

import time
from collections.abc import Sequence

from vexo.core.keys.record_keys import is_declared
from vexo.core.planning.verdicts import Verdict
from vexo.core.wording import thousands
from vexo.core.writing import Write, WriteResult, strategy_of
from vexo.core.writing.batches import Item
from vexo.core.writing.strategies import holds

from ..applications.models import Application
from .models import Batch
from .recording import Follow, items_of
from .sending import Sender, pause


class Settler:
    """Ends doubts of a pass's batches."""

    def __init__(self, sender: Sender, application: Application, repeatable: bool) -> None:
        self.sender, self.application, self.repeatable = sender, application, repeatable

    def settle(self, batch: Batch, writes: Sequence[Write]) -> None:
        """Find out what became of a batch.

        Raises:
            NoAnswer: where it was asked again and there was no answer again.
        """
        asks = batch.first_sent and self.repeatable and self.application.repeats and not batch.rejected
        if asks and not self._made_by_others(writes):
            self._ask_again(batch, writes)
        else:
            self._read(batch, writes)

    def _made_by_others(self, writes: Sequence[Write]) -> bool:
        """Whether a record with the key of a new one, of which the application promises nothing, is there with other
        values than were sent: asked again, ours could be made beside it."""
        rules = self.sender.rules
        if is_declared(rules.key, rules.record_type):
            return False
        creates = {write.at: write for write in writes if write.verdict == Verdict.CREATE}
        made_since = self.sender.reader.made_with_key(list(creates.values())) if creates else {}
        return any(not holds(record, creates[at].values) for at, record in made_since.items())

    def _ask_again(self, batch: Batch, writes: Sequence[Write]) -> None:
        """The very same requests with their numbers: done once, answered again."""
        self.sender.recorder.sent(batch)
        answers = self.sender.transmit(batch, writes, in_doubt=True)
        if answers is not None:
            self.sender.take(batch, writes, answers)

    def _read(self, batch: Batch, writes: Sequence[Write]) -> None:
        """What the records themselves say, once the longest request is certainly over."""
        sender = self.sender
        left = batch.sent_at + self.application.longest_request - time.time()
        while left > 0:
            sender.recorder.lease.hand_back_if_ending()
            sender.recorder.lease.progress(
                sender.recorder.lease.job.done,
                sender.recorder.lease.job.total,
                f"an answer did not come; waiting {thousands(left)} s until the application must be done with it",
            )
            pause(min(left, 5.0))
            left = batch.sent_at + self.application.longest_request - time.time()
        now = sender.reader.of_writes(writes)
        items = {item.at: item for item in items_of(batch)}
        final: list[WriteResult] = []
        again: list[Item] = []
        for write in writes:
            settled = strategy_of(write.verdict).settle(write, now.get(write.at), sender.rules)
            if settled.result is not None:
                final.append(settled.result)
            else:
                again.append(sender.recorder.again(items[write.at], settled.version, resent=True, tried=False))
        sender.recorder.answered(batch, final, [Follow(tuple(again), Batch.PREPARED)])
