"""Sending a batch, once, and sorting what comes back by what it means."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

from vexo.applications import ApplicationError, Client
from vexo.applications.base import NoAnswer, NotTaken, Sending, TooLarge
from vexo.core.keys.record_keys import is_declared
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import RecordType
from vexo.core.writing import Write, WriteResult, strategy_of
from vexo.core.writing.batches import Item
from vexo.core.writing.results import CLASH, DOUBT, UNTAKEN
from vexo.core.writing.strategies import Rules, refusal, unclear

from .models import Batch, Pass
from .record_reader import Reader, RecordNow
from .recording import Follow, Recorder, items_of

MOST_CLASHES = 3
"""Times that a write is sent anew after someone changed its record in between: then a person looks at it."""
OLDEST_MARK = 10.0
"""Seconds between the mark that a batch goes and its body: a machine that slept in between marks it anew."""
PATIENCE = 60.0
"""Seconds that an application that takes no writes is waited for, all pauses together, before a person is told."""


class Interrupted(Exception):
    """The pass cannot go on; the message says why, for a person."""


def pause(seconds: float) -> None:
    """Wait. Its own function, so that tests need not."""
    threading.Event().wait(seconds)


class Sender:
    """Sends a pass's batches."""

    def __init__(
        self, pass_: Pass, client: Client, record_type: RecordType, recorder: Recorder, reader: Reader, rules: Rules
    ) -> None:
        self.pass_, self.client, self.type = pass_, client, record_type
        self.recorder, self.reader, self.rules = recorder, reader, rules
        self.waited = 0.0
        self.on_accepted: Callable[[], None] = lambda: None

    def send(self, batch: Batch, writes: Sequence[Write]) -> None:
        """Send a prepared batch and write down what came of it; without an answer it stays as sent.

        Raises:
            NoAnswer: it went out, and what became of it is not known.
            Interrupted: it did not, and will not as things are.
        """
        if self._moved_before(batch, writes):
            return
        self.recorder.sent(batch)
        answers = self.transmit(batch, writes)
        if answers is not None:
            self.take(batch, writes, answers)

    def transmit(self, batch: Batch, writes: Sequence[Write], in_doubt: bool = False) -> list[WriteResult] | None:
        """The request itself; None where it was not taken and can go again, or was cut in two.

        Args:
            in_doubt: the very request went before without an answer, so it stays in doubt whatever befalls this one.

        Raises:
            NoAnswer, Interrupted
        """
        sending = Sending(self.pass_.atomic, batch.first_sent, self._guard(batch))
        try:
            answers = self.client.write(self.type, writes, sending)
        except NotTaken as error:
            if not in_doubt:
                self.recorder.not_taken(batch)
            self._wait(error)
            return None
        except TooLarge as error:
            if in_doubt:
                raise Interrupted(str(error)) from error
            self._too_large(batch, writes)
            return None
        except NoAnswer:
            raise
        except ApplicationError as error:
            if not in_doubt:
                self.recorder.not_taken(batch)
            raise Interrupted(str(error)) from error
        self.waited = 0.0
        if any(answer.accepted for answer in answers):
            self.on_accepted()
        return answers

    def _guard(self, batch: Batch) -> Callable[[], None]:
        def guard() -> None:
            """The last look before the body goes: is the work still ours, and the mark that it went fresh?"""
            self.recorder.lease.still_mine()
            if time.time() - batch.sent_at > OLDEST_MARK:
                raise NotTaken("The machine was held up just before sending.", wait=0.1)

        return guard

    def _wait(self, error: NotTaken) -> None:
        if error.wait is None or self.waited + error.wait > PATIENCE:
            raise Interrupted(str(error)) from error
        self.waited += max(error.wait, 0.5)
        pause(error.wait)

    def _too_large(self, batch: Batch, writes: Sequence[Write]) -> None:
        if self.pass_.atomic:
            raise Interrupted("The application does not take so many rows at once, all or nothing.")
        if len(writes) > 1:
            self.recorder.split(batch)
        else:
            self.recorder.answered(batch, [refusal(writes[0], "batch-too-large")])

    def _moved_before(self, batch: Batch, writes: Sequence[Write]) -> bool:
        """Refuse what someone changed or made since the review and no version and no unique key guards, just before
        the rest goes."""
        unguarded = [w for w in writes if not self._guarded(w)]
        if not unguarded:
            return False
        creates = [w for w in unguarded if w.verdict == Verdict.CREATE]
        now = self.reader.of_writes([w for w in unguarded if w.verdict != Verdict.CREATE])
        now |= self.reader.made_with_key(creates)
        refused = {
            write.at: answer
            for write in unguarded
            if (answer := strategy_of(write.verdict).just_before(write, now.get(write.at), self.rules)) is not None
        }
        if not refused:
            return False
        if self.pass_.atomic:
            others = [refusal(w, "undone-with-group") for w in writes if w.at not in refused]
            self.recorder.answered(batch, [*refused.values(), *others])
            return True
        rest = tuple(item for item in items_of(batch) if item.at not in refused)
        self.recorder.answered(batch, list(refused.values()), [Follow(rest, Batch.PREPARED)])
        return True

    def _guarded(self, write: Write) -> bool:
        """Whether the application itself refuses the write where someone was faster."""
        if write.verdict == Verdict.CREATE:
            return is_declared(self.rules.key, self.type)
        return self.rules.versions and write.version is not None

    def take(self, batch: Batch, writes: Sequence[Write], answers: Sequence[WriteResult]) -> None:
        """Write down answers: the final ones, and what is done about clashes, doubts and writes not looked at.

        Raises:
            ApplicationError: where records have to be read again and cannot be; what is known is written down then.
        """
        by_place = {write.at: write for write in writes}
        items = {item.at: item for item in items_of(batch)}
        open_ = {a.at for a in answers if a.state == CLASH or self._perhaps_twice(by_place[a.at], a)}
        final = [a for a in answers if a.final and a.at not in open_]
        doubt = [items[a.at] for a in answers if a.state == DOUBT and a.code != "rejected"]
        rejected = tuple(items[a.at] for a in answers if a.state == DOUBT and a.code == "rejected")
        untaken = [items[a.at] for a in answers if a.state == UNTAKEN]
        again: list[Item] = []
        trouble: ApplicationError | None = None
        now: dict[int, RecordNow] = {}
        if open_:
            try:
                now = self.reader.of_writes([by_place[at] for at in sorted(open_)])
            except ApplicationError as error:
                trouble = error
        for answer in [a for a in answers if a.at in open_]:
            write, item = by_place[answer.at], items[answer.at]
            if trouble is not None:
                # A clash was not taken and may go as it is; a create that may be in already is asked about again.
                (again if answer.state == CLASH else doubt).append(item)
                continue
            outcome = self._read_again(write, item, answer, now.get(write.at))
            if isinstance(outcome, WriteResult):
                final.append(outcome)
            else:
                again.append(outcome)
        known_no_more = batch.rejected
        if self.pass_.atomic and trouble is not None:
            # A group is settled as a whole: in doubt if any of it is, else it goes again as it was.
            whole, known_no_more = list(items.values()), batch.rejected or bool(rejected)
            doubt, again = (whole, []) if doubt or rejected else ([], whole)
            final, rejected, untaken = [], (), []
        elif self.pass_.atomic and again:
            final, again = self._group_again(items, final, again)
        follows = [
            Follow(tuple(doubt), Batch.SENT, known_no_more),
            Follow(rejected, Batch.SENT, rejected=True),
            Follow((*again, *untaken), Batch.PREPARED),
        ]
        self.recorder.answered(batch, final, follows)
        if trouble is not None:
            raise trouble

    def _perhaps_twice(self, write: Write, answer: WriteResult) -> bool:
        """Whether a create that went before without an answer is refused now: perhaps because the first one is in."""
        return answer.state == "refused" and write.resent and write.verdict == Verdict.CREATE

    def _read_again(self, write: Write, item: Item, answer: WriteResult, now: RecordNow | None) -> WriteResult | Item:
        """What a clash, or a create refused the second time, comes to: an answer, or the write that goes again."""
        operation = strategy_of(write.verdict)
        if answer.state != CLASH:
            if now is None:
                return answer
            return operation.settle(write, now, self.rules).result or unclear(write, "found-otherwise")
        settled = operation.after_clash(write, now, self.rules)
        if settled.result is not None:
            return settled.result
        if item.tries + 1 >= MOST_CLASHES:
            return refusal(write, "changed-meanwhile")
        return self.recorder.again(item, settled.version)

    def _group_again(
        self, items: dict[int, Item], final: list[WriteResult], again: list[Item]
    ) -> tuple[list[WriteResult], list[Item]]:
        """All or nothing: where every clash may go again, so does the group; else none of it is in."""
        answers = [answer for answer in final if answer.code != "undone-with-group"]
        if answers:
            undone = [WriteResult(item.at, "refused", item.identifier, code="undone-with-group") for item in again]
            return [*final, *undone], []
        goes = {item.at for item in again}
        others = [self.recorder.again(i, i.version, tried=False) for i in items.values() if i.at not in goes]
        return [], sorted([*again, *others], key=lambda item: item.at)
