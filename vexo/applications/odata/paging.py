"""Asking for records: what of them, which, in what order, page by page."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from typing import Any
from urllib.parse import quote

import polars as pl

from vexo.core.conditions.to_filter import literal, path_of
from vexo.core.records import Catalogue, Field, RecordType

from .records import to_frame

PAGE = 2500
"""Records of a page that is asked for."""
Ask = Callable[[str], dict[str, Any]]
"""A path below the service root → the answer's JSON, with a list under ``value``."""


def _expand(ways: Sequence[tuple[str, ...]]) -> str:
    """``$expand`` for the ways to fields of referenced records."""
    inner: dict[str, list[tuple[str, ...]]] = {}
    for first, *rest in ways:
        inner.setdefault(first, []).append(tuple(rest))
    parts = []
    for navigation, rests in inner.items():
        names = ",".join(dict.fromkeys(rest[0] for rest in rests if len(rest) == 1))
        further = [rest for rest in rests if len(rest) > 1]
        options = [f"$select={names}"] if names else []
        options += [f"$expand={_expand(further)}"] if further else []
        parts.append(f"{navigation}({';'.join(options)})")
    return ",".join(parts)


def _query(options: dict[str, str]) -> str:
    return "&".join(f"{name}={quote(text, safe='')}" for name, text in options.items() if text)


def options_of(fields: Sequence[Field], record_type: RecordType) -> dict[str, str]:
    """What of each record is asked for."""
    plain_names = dict.fromkeys([record_type.identifier, *[f.name for f in fields if not f.way]])
    return {"$select": ",".join(plain_names), "$expand": _expand([f.way for f in fields if f.way])}


def in_order(
    ask: Ask,
    catalogue: Catalogue,
    record_type: RecordType,
    fields: Sequence[str],
    condition: str,
    order: Sequence[str],
    top: int | None,
) -> Iterator[pl.DataFrame]:
    """Records in the application's order, by its own pages."""
    known = [catalogue.field(record_type, name) for name in fields]
    by = [(catalogue.field(record_type, name.removeprefix("-")), name.startswith("-")) for name in order]
    options = options_of(known, record_type) | {
        "$filter": condition,
        "$orderby": ",".join(path_of(field) + (" desc" if down else "") for field, down in by),
        "$top": "" if top is None else str(top),
    }
    path: str | None = f"{record_type.source}?{_query(options)}"
    first = True
    while path:
        answer = ask(path)
        if answer["value"] or first:
            yield to_frame(answer["value"], fields, record_type, catalogue)
        first = False
        path = answer.get("@odata.nextLink") or answer.get("@nextLink")


def at_rank(
    ask: Ask, catalogue: Catalogue, record_type: RecordType, field: Field, condition: str, rank: int
) -> pl.Series:
    """The value of a field at a place in its order, from 0; none where there are fewer."""
    options = options_of([field], record_type) | {
        "$filter": condition,
        "$orderby": path_of(field),
        "$skip": str(rank) if rank else "",
        "$top": "1",
    }
    answer = ask(f"{record_type.source}?{_query(options)}")
    return to_frame(answer["value"], [field.name], record_type, catalogue)[field.name]


def by_identifier(
    ask: Ask,
    catalogue: Catalogue,
    record_type: RecordType,
    fields: Sequence[str],
    condition: str,
    after: str,
    *,
    ahead: bool,
) -> Iterator[pl.DataFrame]:
    """Records in the order of their identifiers, each page asked for after the last one's last identifier, so that
    nothing is missed or met twice when records come and go meanwhile.

    Args:
        ahead: ask for the next page while this one is worked on.
    """
    known = [catalogue.field(record_type, name) for name in fields]
    by_id = record_type.field(record_type.identifier)
    options = options_of(known, record_type)

    def page(last: str) -> dict[str, Any]:
        beyond = f"{by_id.name} gt {literal(by_id, last)}" if last else ""
        both = f"({condition}) and {beyond}" if condition and beyond else condition or beyond
        return ask(
            f"{record_type.source}?{_query(options | {'$filter': both, '$orderby': by_id.name, '$top': str(PAGE)})}"
        )

    with ThreadPoolExecutor(1) as pool:
        coming: Future[dict[str, Any]] = pool.submit(page, after)
        first = True
        while True:
            answer = coming.result()
            rows = answer["value"]
            link = answer.get("@odata.nextLink") or answer.get("@nextLink")
            more = bool(link) or len(rows) >= PAGE
            # A page may be empty though others follow; then only the application knows where to go on.
            following = partial(page, str(rows[-1][by_id.name])) if rows else partial(ask, str(link))
            if more and ahead:
                coming = pool.submit(following)
            frame = to_frame(rows, fields, record_type, catalogue) if rows or first else None
            # What came is as large as all the rest of the work needs; the next page is on its way already.
            del answer, rows
            if frame is not None:
                yield frame
            first = False
            if not more:
                return
            if not ahead:
                coming = pool.submit(following)


def sums(ask: Ask, record_type: RecordType, fields: Sequence[Field], condition: str) -> dict[str, Any]:
    """Sums by the application itself. Source: OData Extension for Data Aggregation 4.0."""
    names = ",".join(f"{field.name} with sum as {field.name}" for field in fields)
    chain = (f"filter({condition})/" if condition else "") + f"aggregate({names})"
    rows = ask(f"{record_type.source}?{_query({'$apply': chain})}")["value"]
    return dict(rows[0]) if rows else {}


def counted(ask: Ask, record_type: RecordType, field: Field, condition: str) -> list[tuple[Any, int]]:
    """The different values of a field with their counts, by the application itself, the most frequent first."""
    chain = (f"filter({condition})/" if condition else "") + f"groupby(({path_of(field)}),aggregate($count as times))"
    rows = ask(f"{record_type.source}?{_query({'$apply': chain})}")["value"]
    name = path_of(field).rpartition("/")[2]
    return [(row.get(name), int(row["times"])) for row in rows]
