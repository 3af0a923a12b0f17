"""Saying what goes out: a new trip by a document."""

from __future__ import annotations

from collections.abc import Sequence

from vexo.core.documents import SendOut, check
from vexo.core.records import Catalogue, Kind, RecordType
from vexo.core.sheets.outgoing import column_of

from ..applications.models import Application
from ..applications.services import describe
from ..trips.models import Route, Trip


def begin(application: Application, document: SendOut, by: str, title: str = "", route: Route | None = None) -> Trip:
    """A trip that begins with records. Raises UnknownName, ConditionError, DocumentError."""
    catalogue = application.known or describe(application)
    whole = check(document, catalogue)
    record_type = catalogue.type(whole.record_type)
    return Trip.objects.create(
        title=(title or (route.name if route else record_type.plural))[:160],
        route=route,
        application=application,
        record_type=record_type.name,
        sends=whole.to_json(),
        operation="create" if whole.headers_only else "update",
        standing={"plural": record_type.plural},
        created_by=by,
    )


def read_fields(names: Sequence[str], record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """What has to be read for a sheet with these fields: references also as people know them."""
    wanted: list[str] = []
    for name in names:
        field = catalogue.field(record_type, name)
        wanted.append(name)
        if field.kind == Kind.REFERENCE and field.path is None:
            wanted.append(column_of(field, catalogue))
    return list(dict.fromkeys(wanted))


def all_read(document: SendOut, record_type: RecordType, catalogue: Catalogue) -> list[str]:
    """What has to be read for a document: its fields, and what it is put in order, shared out and picked by."""
    names = [*document.fields, *[name.removeprefix("-") for name in document.order]]
    names += [document.share.field] if document.share else []
    names += document.picked.key if document.picked else []
    names += record_type.keys[0] if record_type.keys else ()
    return read_fields(list(dict.fromkeys(names)), record_type, catalogue)
