"""Sending a batch, once, and sorting what comes back by what it means."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

from vexo.applications import Application as Client
from vexo.applications import ApplicationError
from vexo.applications.base import NoAnswer, NotTaken, Sending, TooLarge
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import RecordType
from vexo.core.writing import Answer, Write, operation_of
from vexo.core.writing.answers import CLASH, DOUBT, UNTAKEN
from vexo.core.writing.batches import Item
from vexo.core.writing.operations import Rules, refusal, unclear

from .models import Batch, Pass
from .reading import Reader
from .recording import Follow, Recorder, items_of

MOST_CLASHES = 3
OLDEST_MARK = 10.0
PATIENCE = 60.0


class Interrupted(Exception):
    """The pass cannot go on; the message says why, for a person."""


def pause(seconds: float) -> None:
    """Wait. Its own function, so that tests need not."""
    threading.Event().wait(seconds)


class Sender:
    """Sends a pass's batches."""

    def __init__(
        self, one: Pass, client: Client, record_type: RecordType, recorder: Recorder, reader: Reader, rules: Rules
    ) -> None:
        self.one, self.client, self.type = one, client, record_type
        self.recorder, self.reader, self.rules = recorder, reader, rules
        self.waited = 0.0
        self.on_accepted: Callable[[], None] = lambda: None

    def send(self, batch: Batch, writes: Sequence[Write]) -> None:
        """Send a prepared batch and write down what came of it; without an answer it stays as sent.

        Raises:
            NoAnswer: it went out, and what became of it is not known.
            Interrupted: it did not, and will not as things are.
        """
        if not self.rules.versions and self._moved_before(batch, writes):
            return
        self.recorder.sent(batch)
        answers = self.transmit(batch, writes)
        if answers is not None:
            self.take(batch, writes, answers)

    def transmit(self, batch: Batch, writes: Sequence[Write], in_doubt: bool = False) -> list[Answer] | None:
        """The request itself; None where it was not taken and can go again, or was cut in two.

        Args:
            in_doubt: the very request went before without an answer, so it stays in doubt whatever befalls this one.

        Raises:
            NoAnswer, Interrupted
        """
        sending = Sending(self.one.atomic, batch.first_sent, self._guard(batch))
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
        if self.one.atomic:
            raise Interrupted("The application does not take so many rows at once, all or nothing.")
        if len(writes) > 1:
            self.recorder.split(batch)
        else:
            self.recorder.answered(batch, [refusal(writes[0], "batch-too-large")])

    def _moved_before(self, batch: Batch, writes: Sequence[Write]) -> bool:
        """Without versions: refuse what someone changed since the review, just before the rest goes."""
        now = self.reader.of_writes([w for w in writes if w.verdict != Verdict.CREATE])
        refused = {
            write.at: answer
            for write in writes
            if (answer := operation_of(write.verdict).just_before(write, now.get(write.at), self.rules)) is not None
        }
        if not refused:
            return False
        if self.one.atomic:
            others = [refusal(w, "undone-with-group") for w in writes if w.at not in refused]
            self.recorder.answered(batch, [*refused.values(), *others])
            return True
        rest = tuple(item for item in items_of(batch) if item.at not in refused)
        self.recorder.answered(batch, list(refused.values()), [Follow(rest, Batch.PREPARED)])
        return True

    def take(self, batch: Batch, writes: Sequence[Write], answers: Sequence[Answer]) -> None:
        """Write down answers: the final ones, and what is done about clashes, doubts and writes not looked at."""
        by_place = {write.at: write for write in writes}
        items = {item.at: item for item in items_of(batch)}
        final = [self._settled_twice(by_place[a.at], a) for a in answers if a.final]
        clashes = [by_place[a.at] for a in answers if a.state == CLASH]
        again: list[Item] = []
        if clashes:
            now = self.reader.of_writes(clashes)
            for write in clashes:
                item = items[write.at]
                told = operation_of(write.verdict).after_clash(write, now.get(write.at), self.rules)
                if told.answer is not None:
                    final.append(told.answer)
                elif item.tries + 1 >= MOST_CLASHES:
                    final.append(refusal(write, "changed-meanwhile"))
                else:
                    again.append(self.recorder.again(item, told.version))
        if self.one.atomic and again:
            final, again = self._group_again(items, final, again)
        doubt = tuple(items[a.at] for a in answers if a.state == DOUBT and a.code != "rejected")
        rejected = tuple(items[a.at] for a in answers if a.state == DOUBT and a.code == "rejected")
        untaken = [items[a.at] for a in answers if a.state == UNTAKEN]
        follows = [
            Follow(doubt, Batch.SENT, batch.rejected),
            Follow(rejected, Batch.SENT, rejected=True),
            Follow((*again, *untaken), Batch.PREPARED),
        ]
        self.recorder.answered(batch, final, follows)

    def _group_again(
        self, items: dict[int, Item], final: list[Answer], again: list[Item]
    ) -> tuple[list[Answer], list[Item]]:
        """All or nothing: where every clash may go again, so does the group; else none of it is in."""
        own = [answer for answer in final if answer.code != "undone-with-group"]
        if own:
            undone = [Answer(item.at, "refused", item.identifier, code="undone-with-group") for item in again]
            return [*final, *undone], []
        goes = {item.at for item in again}
        others = [self.recorder.again(i, i.version, tried=False) for i in items.values() if i.at not in goes]
        return [], sorted([*again, *others], key=lambda item: item.at)

    def _settled_twice(self, write: Write, answer: Answer) -> Answer:
        """A create that went before without an answer, and is refused now: perhaps because the first one is in."""
        if answer.state != "refused" or not write.resent or write.verdict != Verdict.CREATE:
            return answer
        now = self.reader.of_writes([write]).get(write.at)
        if now is None:
            return answer
        told = operation_of(write.verdict).settle(write, now, self.rules)
        return told.answer or unclear(write, "found-otherwise")
