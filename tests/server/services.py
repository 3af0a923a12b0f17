"""Trips on the server's own services, in this process, against the running register."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any
from unittest.mock import patch

import openpyxl

from tests.core.examples import read_here
from tests.support import Vexo, overwrite, register, temporary_folder, use_folder

WHERE = "harbour eq 'TERNISLAND' and startswith(berth_no,'{}-')"


def view_of(trip: Any) -> Any:
    """A trip at the part whose sheet came in last."""
    from vexo.server.trips.part_view import PartView

    return PartView.of(trip)


@contextmanager
def no_type_is_small() -> Iterator[None]:
    """Within this, no record type is read whole because it is not large."""
    from vexo.server.planning import application_records, known_texts

    with ExitStack() as stack:
        for name in ("_SMALL_TYPE", "_ALL_WANTED"):
            stack.enter_context(patch.object(application_records, name, 1))
        stack.enter_context(patch.object(known_texts, "_MOST", 1))
        yield


class ServiceCase(unittest.TestCase):
    """A data folder for the class, connected to the register."""

    vexo: Vexo

    @classmethod
    def setUpClass(cls) -> None:
        cls.vexo = Vexo()
        from vexo.server.applications.models import Application
        from vexo.server.people.models import Person, Role

        cls.practice = Application.objects.get(name="harbour-practice")
        cls.live = Application.objects.get(name="harbour-live")
        cls.enterClassContext(patch("vexo.server.uploads.upload_cells.read_sheet", read_here))
        cls.person = Person.objects.create(username="ada", name="Ada Quillfeather", role=Role.ADMINISTRATOR)

    def setUp(self) -> None:
        self.vexo.use()
        register().behave()
        self.addCleanup(register().behave)
        self.addCleanup(register().trouble, "none")

    def out(self, letter: str, *fields: str, application: Any = None, format_: str = "xlsx") -> tuple[Any, Path]:
        """Berths of one letter, sent out: the trip and the sheet."""
        from vexo.server.data_folder import absolute
        from vexo.server.jobs.worker import enqueue, run_inline
        from vexo.server.sendout.send_out import new_trip

        application = application or self.practice
        trip = new_trip(application, "Berth", "ada", fields, WHERE.format(letter), f"Letter {letter}")
        job = run_inline(enqueue("send out", "ada", view_of(trip), run_here=True, format=format_))
        self.assertEqual(job.error, "")
        return trip, absolute(job.result["file"])

    def back(self, path: Path, application: Any = None, record_type: str = "Berth", **more: Any) -> Any:
        """A sheet brought in and planned: the job that ended last."""
        from vexo.server.ingest.bring_in import ImportRequest, start_bringing_in
        from vexo.server.jobs.worker import run_inline
        from vexo.server.uploads.receive import take_file

        upload = take_file(path, self.person.username)
        application = application or self.practice
        return run_inline(
            start_bringing_in(application, record_type, upload, self.person, ImportRequest(**more), run_here=True)
        )

    def keep(self) -> Callable[[], None]:
        """What Vexo and the register hold now; called, the result puts them back to it. Files stay: none has a name
        that another had."""
        folder, records = temporary_folder(), register().keep()
        overwrite(folder / "vexo.db", self.vexo.data / "vexo.db")

        def put_back() -> None:
            records()
            use_folder(self.vexo.data)
            overwrite(self.vexo.data / "vexo.db", folder / "vexo.db")

        return put_back

    def trip_of(self, job: Any) -> Any:
        from vexo.server.trips.models import Trip

        return Trip.objects.get(pk=job.trip_id)

    def bring(self, content: str, **more: Any) -> Any:
        """Delimited text as a trip of its own, or as the next sheet of one (``trip``)."""
        job = self.back(self.text(content), **{"trip": "new", **more})
        self.assertEqual(job.error, "")
        return self.trip_of(job)

    def plan(self, trip: Any) -> Any:
        """The trip planned anew."""
        from vexo.server.jobs.worker import enqueue, run_inline

        job = run_inline(enqueue("plan", "ada", view_of(trip), run_here=True, fresh=True))
        self.assertEqual(job.error, "")
        trip.refresh_from_db()
        return self.newest(trip)

    def newest(self, trip: Any) -> Any:
        """The trip's newest plan."""
        from vexo.server.planning.context import plan_of

        return plan_of(view_of(trip))

    def decide(self, trip: Any, answer: str, rows: Sequence[int] = (), **more: Any) -> Any:
        """An answer for rows, by their place in the newest plan (0 is the first)."""
        from vexo.server.decisions.decisions import Scope, decide
        from vexo.server.jobs.worker import run_inline

        ids = self.table(trip)["row_id"].to_list()
        scope = Scope(
            tuple(ids[at] for at in rows), more.pop("code", ""), more.pop("field", ""), more.pop("message", None)
        )
        made, job = decide(view_of(trip), self.person, self.newest(trip).number, scope, answer, run_here=True, **more)
        ended = run_inline(job)
        self.assertEqual(ended.error, "")
        trip.refresh_from_db()
        return made

    def start(self, trip: Any, **more: Any) -> Any:
        """A pass of the newest plan, about to be sent: its job."""
        from vexo.server.passes.starting import start_pass

        trip.refresh_from_db()
        return start_pass(view_of(trip), self.person, self.newest(trip).number, run_here=True, **more)[1]

    def apply(self, trip: Any, **more: Any) -> Any:
        """The newest plan, sent: the pass as it ended."""
        from vexo.server.jobs.worker import run_inline

        run_inline(self.start(trip, **more))
        return self.last_pass(trip)

    def last_pass(self, trip: Any) -> Any:
        trip.refresh_from_db()
        return trip.passes.last()

    def go_on(self, trip: Any, give_up: bool = False) -> Any:
        """An interrupted pass, gone on with or given up."""
        from vexo.server.jobs.models import Job
        from vexo.server.jobs.worker import run_inline
        from vexo.server.passes import starting

        Job.objects.filter(trip=trip, state=Job.RUNNING).update(lease_until=1.0)
        again = starting.give_up if give_up else starting.go_on
        run_inline(again(view_of(trip), self.person, self.last_pass(trip).number, run_here=True)[1])
        return self.last_pass(trip)

    def table(self, trip: Any) -> Any:
        """The newest plan's rows."""
        from vexo.server import artifacts

        return artifacts.read(self.newest(trip).path)

    def verdicts(self, trip: Any) -> list[str]:
        return list(self.table(trip)["verdict"].to_list())

    def codes(self, trip: Any) -> list[list[str]]:
        return [[fault["code"] for fault in row] for row in self.table(trip)["faults"].to_list()]

    def terms(self, trip: Any) -> dict[str, int]:

        trip.refresh_from_db()
        return {name: count for name, count in self.newest(trip).summary["verdicts"].items() if count}

    def edited(self, path: Path, change: Any) -> Path:
        book = openpyxl.load_workbook(path)
        change(book.active)
        target = temporary_folder() / path.name
        book.save(target)
        return target

    def text(self, content: str, name: str = "sheet.csv") -> Path:
        path = temporary_folder() / name
        path.write_text(content, encoding="utf-8")
        return path

    def holders(self, beginning: str) -> list[dict[str, Any]]:
        """Holders whose number begins so, as the register has them."""
        query = {"$filter": f"startswith(holder_no,'{beginning}')", "$top": "5000"}
        return list(register().get("Holders", **query)["value"])
