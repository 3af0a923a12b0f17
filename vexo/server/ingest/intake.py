"""The last step of bringing a sheet in: it becomes the newest sheet of its trip, in one transaction."""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass, replace
from pathlib import Path

from django.db.models import F
from django.utils import timezone
from msgspec import UNSET, UnsetType

from vexo.core.columns.lanes import Lane
from vexo.core.columns.matches import MatchedBy, conflicts
from vexo.core.operations import Operation
from vexo.core.records import Catalogue, RecordType
from vexo.core.sheets.sheet import ROW_ID
from vexo.core.sheets.totals import Figures
from vexo.core.wording import shortened, thousands

from .. import artifacts
from ..applications.models import Application
from ..jobs.leases import Lease
from ..jobs.models import Job
from ..journal.services import note
from ..mapping.columns import ask_again, update_columns
from ..mapping.lookup_tables import claim
from ..mapping.mapped_sheet import MappedSheet
from ..naming import names_of
from ..notices.kinds import NoticeKind
from ..notices.services import tell_people
from ..recognition.belonging import Incoming
from ..routes.models import Route
from ..routes.saved_routes import SheetFit
from ..trips.facts.parts import Holdings, NewestSheet, PartCounts
from ..trips.models import ColumnMapping, Part, Sheet, Trip
from ..trips.part_view import PartView
from ..trips.plan_jobs import enqueue_plan
from ..trips.sheet_cells import refresh_edit_figures
from ..trips.sheets import part_of
from ..trips.status import switch_part, update_status
from ..uploads.models import Upload
from ..uploads.upload_cells import place_of
from .prepare_sheet import ImportSettings, PreparedSheet
from .take_over import take_over


def _lost_headers(lane: Lane, fit: SheetFit) -> list[str]:
    return [header for header in (lane.source, *lane.headers) if header in fit.missing]


@dataclass(frozen=True, slots=True)
class BroughtIn:
    """What its job tells of a sheet that came in: ``known`` says how many of its rows were met, by which way;
    ``begun``, whether a trip began with it: on one that was there no route and no title is used; ``unchanged``, that it
    is the very file that was there; ``next`` is the job that plans it, where it can be."""

    trip: int
    part: int | UnsetType = UNSET
    recognised: bool | UnsetType = UNSET
    known: dict[str, int] | UnsetType = UNSET
    begun: bool | UnsetType = UNSET
    unchanged: bool | UnsetType = UNSET
    next: int | UnsetType = UNSET


@dataclass
class Intake:
    """A sheet that is taken in: what was asked for and found out, and what its job tells (``done``).

    Attributes:
        holds: what the application holds, as far as columns are compared with it.
        mapped: the sheet as it was taken in; None until then.
    """

    lease: Lease
    application: Application
    catalogue: Catalogue
    record_type: RecordType
    incoming: Incoming
    settings: ImportSettings
    holds: Holdings
    mapped: MappedSheet | None = None
    done: BroughtIn | None = None

    def take_in(self, prepared: PreparedSheet) -> Trip | None:
        """Make the sheet its trip's newest; None where another sheet of the trip came in meanwhile."""
        upload = self.incoming.upload
        # Rows that were laid over an earlier sheet are not what the file says.
        place = place_of(upload, upload.read_options) if prepared.as_profiled else ""
        cells_path = artifacts.keep_cells(prepared.cells, place)
        totals = prepared.totals
        with self.lease.writing():
            trip = self._trip()
            if trip is None:
                return None
            part = part_of(trip, self.incoming.view.part if self.incoming.view else 1)
            view = PartView(trip, part.number)
            switch_part(view)
            sheet = self._sheet(trip, part, prepared, cells_path, totals)
            moved_from = self.lease.job.arguments.get("moved_from")
            if moved_from:
                take_over(trip, sheet, prepared.cells, tuple(moved_from))
            self._settle(trip, int((prepared.cells[ROW_ID] >= trip.next_row).sum()))
            self._record(view, sheet, prepared)
        return trip

    def follow_up(self, trip: Trip) -> BroughtIn:
        """After the sheet was taken in: figures of earlier edits, and questions where no plan looks at them."""
        assert self.mapped is not None
        assert self.done is not None
        refresh_edit_figures(self.mapped.view)
        if self.done.next is UNSET:
            trip.refresh_from_db()
            ask_again(self.mapped, self.lease)
        return self.done

    def _trip(self) -> Trip | None:
        """The trip, begun where there is none; None where it is not as it was read."""
        trip, upload, job = self.incoming.trip, self.incoming.upload, self.lease.job
        if trip is not None:
            now = Trip.objects.values_list("next_row", "revision").get(pk=trip.pk)
            return trip if now == (trip.next_row, trip.revision) else None
        named = re.sub(r"[_\-]+", " ", Path(upload.name).stem).strip().capitalize()
        return Trip.objects.create(
            title=shortened(job.arguments["title"] or named or "Sheet", 160),
            application=self.application,
            record_type=self.record_type.name,
            status={"plural": self.record_type.plural},
            created_by=job.by,
        )

    def _sheet(self, trip: Trip, part: Part, prepared: PreparedSheet, cells_path: str, totals: Figures) -> Sheet:
        upload, profile = self.incoming.upload, prepared.profile
        sheet = Sheet.objects.create(
            trip=trip,
            part=part,
            direction=Sheet.IN,
            name=upload.name,
            path=upload.path,
            digest=self.incoming.digest,
            cells=cells_path,
            rows=len(prepared.cells),
            first_row=trip.next_row,
            known_rows=prepared.known,
            format=profile.format,
            profile_json=profile.to_json(),
            choices=prepared.choices,
            recognised=prepared.recognised,
            origin=self.incoming.origin,
            differs=prepared.differs,
            files=[{"name": other.name, "path": other.path} for other in upload.whole_list[1:]],
            totals={"came": totals, "now": totals},
            added_by=self.lease.job.by,
        )
        ColumnMapping.objects.bulk_create(
            ColumnMapping(
                sheet=sheet,
                column=match.column,
                header=match.header,
                field=match.field.name if match.field else "",
                how=match.how,
                carried=match.carried,
                offers=[asdict(offer) for offer in match.offers],
            )
            for match in prepared.matches
        )
        return sheet

    def _settle(self, trip: Trip, new_rows: int) -> None:
        """The trip has what was said with the sheet, over what it had."""
        settings = self.settings
        trip.next_row += new_rows
        trip.columns = {**trip.columns, **settings.route_columns, **settings.columns}
        trip.operation = settings.operation or trip.operation or Operation.UPDATE
        trip.key = list(settings.key) or trip.key
        trip.ignores = trip.ignores if settings.ignores is None else list(settings.ignores)
        trip.reach = settings.reach or trip.reach
        lanes_said = {name: lane.to_json() for name, lane in settings.lanes.items()}
        trip.lanes = {name: rules for name, rules in {**trip.lanes, **lanes_said}.items() if rules}
        if settings.row_condition:
            trip.row_filter = {**trip.row_filter, "condition": settings.row_condition}
        claim(trip, settings.lanes.values())
        if settings.fit is not None:
            trip.route = settings.fit.route
        names = ("next_row", "columns", "operation", "key", "ignores", "reach", "lanes", "row_filter", "route")
        Trip.objects.filter(pk=trip.pk).update(**{name: getattr(trip, name) for name in names})

    def _record(self, view: PartView, sheet: Sheet, prepared: PreparedSheet) -> None:
        """Write down what came in, ask for its plan, and note it in the journal."""
        trip, upload, job, profile = view.trip, self.incoming.upload, self.lease.job, self.incoming.profile
        facts: dict[str, object] = {
            "sheet": NewestSheet(sheet.pk, sheet.rows, sheet.name, sheet.added_at, prepared.recognised),
            "plural": self.record_type.plural,
            "holds": self.holds,
        }
        fit = self.settings.fit
        if fit is not None:
            lost = {name: _lost_headers(lane, fit) for name, lane in self.settings.lost.items()}
            facts["on_route"] = replace(fit.fact, lost=lost, instead=prepared.instead)
            used = {"used": F("used") + 1, "used_at": timezone.now(), "rows": sheet.rows}
            Route.objects.filter(pk=fit.route.pk).update(**used)
        Upload.objects.filter(pk__in=[file.pk for file in upload.whole_list]).update(trip=trip, belongs_to=None)
        self.mapped = MappedSheet.of(view, sheet, self.catalogue)
        update_columns(self.mapped, whole=self.settings.told, **facts)
        Job.objects.filter(pk=job.pk).update(trip=trip)
        _update_part_counts(view)
        words = f"Brought in {upload.name}, {thousands(profile.rows)} rows" + (
            ", recognised" if prepared.recognised else ""
        )
        label = sheet.part.label if sheet.part else ""
        note(
            job.by,
            "brought in",
            ", ".join(filter(None, [words, label])),
            self.application,
            trip.pk,
            profile.rows,
            upload.name,
        )
        if prepared.recognised and job.by != trip.created_by:
            by = names_of([job.by])[job.by]
            words = f"{by} brought {label or upload.name} back in on trip {trip.pk}, {trip.title}"
            tell_people(NoticeKind.PART_BACK, [trip.created_by], words, trip.pk)
        following = self._enqueue_plan(view).pk if _can_be_planned(self.mapped) else UNSET
        begun = self.incoming.trip is None
        self.done = BroughtIn(
            trip.pk, recognised=prepared.recognised, known=prepared.known, begun=begun, next=following
        )

    def _enqueue_plan(self, view: PartView) -> Job:
        self.application.refresh_from_db(fields=["described_at"])
        at = self.application.described_at
        here = bool(self.lease.job.arguments.get("here"))
        described_at = at.isoformat() if at else ""
        return enqueue_plan(self.lease.job.by, view, run_here=here, fresh=True, described_at=described_at)


def _update_part_counts(view: PartView) -> None:
    """Write down how many of a shared-out trip's parts are back."""
    trip = view.trip
    parts = trip.parts.count()
    if parts > 1:
        back = trip.parts.filter(sheets__direction=Sheet.IN).distinct().count()
        update_status(view, parts=PartCounts(parts, back))


def _can_be_planned(mapped: MappedSheet) -> bool:
    """Whether anything is carried, a key is known and no two columns are in each other's way; else the sheet lies at
    Columns and Keys, to be put right."""
    carried = any(match.carried for match in mapped.matches) and not conflicts(mapped.matches, mapped.record_type)
    return carried and not any(match.how == MatchedBy.LOST for match in mapped.matches) and mapped.knows_key
