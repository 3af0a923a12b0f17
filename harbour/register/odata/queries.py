"""Answering GET: records by condition, order and page, with the fields asked for."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import quote

from django.db.models import F, QuerySet

from .. import trouble
from ..models import Record
from ..rules import Refusal
from .filters import read_filter, resolve
from .properties import Property, properties, to_json

PAGE = 500
_EXPAND = re.compile(r"(\w+)(?:\((.*)\))?$")
_DEEPEST = 5


@dataclass(frozen=True)
class Shape:
    """What of each record goes out: own properties and those of expanded references."""

    model: type[Record]
    own: tuple[Property, ...]
    expanded: tuple[tuple[Property, Shape], ...]


def _known(model: type[Record], name: str) -> Property:
    prop = properties(model).get(name)
    if not prop:
        raise Refusal(f"{model.__name__} has no property {name!r}", "no-such-property", None, 400)
    return prop


def _split(text: str, mark: str = ",") -> list[str]:
    """The parts of a text between marks that stand in no parentheses."""
    parts, depth = [""], 0
    for letter in text:
        depth += (letter == "(") - (letter == ")")
        if letter == mark and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return [part.strip() for part in parts if part.strip()]


def read_shape(model: type[Record], query: Mapping[str, str], depth: int = 0) -> Shape:
    """``$select`` and ``$expand`` as a Shape."""
    names = _split(query.get("$select", "")) or list(properties(model))
    expanded = []
    for part in _split(query.get("$expand", "")):
        match = _EXPAND.match(part)
        prop = next((p for p in properties(model).values() if match and p.target and p.navigation == match[1]), None)
        if not match or not prop or not prop.target or depth > _DEEPEST:
            raise Refusal(f"{part!r} cannot be expanded", "bad-expand", None, 400)
        inner = dict(option.partition("=")[::2] for option in _split(match[2] or "", ";"))
        expanded.append((prop, read_shape(prop.target, inner, depth + 1)))
    return Shape(model, tuple(_known(model, name) for name in names), tuple(expanded))


def url_key(model: type[Record], key: Any) -> str:
    """An entity's address relative to the service root."""
    text = f"'{quote(str(key).replace(chr(39), chr(39) * 2), safe='')}'" if isinstance(key, str) else str(key)
    return f"{model.entity_set}({text})"


def write_records(shape: Shape, rows: QuerySet[Any]) -> Iterable[dict[str, Any]]:
    """The records of a query as JSON objects, each with its ETag."""
    columns: list[str] = ["pk", "version"]

    def writer(own: Shape, path: str) -> Callable[[dict[str, Any], tuple[Any, ...]], None]:
        plain = [(p.name, to_json(p), len(columns) + at) for at, p in enumerate(own.own)]
        columns.extend(f"{path}{p.column}" for p in own.own)
        led = []
        for prop, inner in own.expanded:
            led.append((prop.navigation, len(columns), writer_of(prop, inner, path)))

        def write(out: dict[str, Any], row: tuple[Any, ...]) -> None:
            for name, convert, at in plain:
                out[name] = convert(row[at])
            for name, at, further in led:
                if row[at] is None:
                    out[name] = None
                else:
                    out[name] = {}
                    further(out[name], row)

        return write

    def writer_of(prop: Property, inner: Shape, path: str) -> Callable[[dict[str, Any], tuple[Any, ...]], None]:
        columns.append(f"{path}{prop.column}")
        return writer(inner, f"{path}{prop.name}__")

    write = writer(shape, "")
    for row in rows.values_list(*columns).iterator(chunk_size=2000):
        out: dict[str, Any] = {"@odata.id": url_key(shape.model, row[0])}
        if trouble.carries_version(shape.model, row[0]):
            out["@odata.etag"] = f'W/"{row[1]}"'
        write(out, row)
        yield out


def _order(model: type[Record], text: str) -> list[Any]:
    from odata_query import ast

    order: list[Any] = []
    for part in _split(text):
        path, _, direction = part.partition(" ")
        first, *rest = path.split("/")
        node: Any = ast.Identifier(first)
        for name in rest:
            node = ast.Attribute(node, name)
        column = F(resolve(model, node)[1])
        order.append(column.desc(nulls_last=True) if direction.strip() == "desc" else column.asc(nulls_first=True))
    return [*order, "pk"]


def _whole(query: Mapping[str, str], name: str) -> int | None:
    if name not in query:
        return None
    if not query[name].isdigit():
        raise Refusal(f"{name} must be a whole number", "bad-query", None, 400)
    return int(query[name])


def page(model: type[Record], alias: str, query: Mapping[str, str], max_page: int | None) -> dict[str, Any]:
    """One page of a collection, with ``@odata.count`` and ``@odata.nextLink`` where they belong.

    The next link goes on after the last record by key, so that records that come or go meanwhile shift nothing,
    unless another order or ``$skip`` was asked for.
    """
    rows: QuerySet[Any] = model._default_manager.using(alias).all()
    if query.get("$filter"):
        rows = rows.filter(read_filter(model, query["$filter"], alias))
    answer: dict[str, Any] = {}
    if query.get("$count") == "true":
        answer["@odata.count"] = rows.count()
    top, skip = _whole(query, "$top"), _whole(query, "$skip") or 0
    size = min(max_page or PAGE, 5000)
    by_key = not query.get("$orderby") and not skip
    if by_key and "$skiptoken" in query:
        rows = rows.filter(pk__gt=query["$skiptoken"])
    elif "$skiptoken" in query:
        skip += int(query["$skiptoken"])
    wanted = size if top is None else min(size, top)
    shape = read_shape(model, query)
    ordered = rows.order_by(*_order(model, query.get("$orderby", "")))[skip : skip + wanted + 1]
    pk_name = model._meta.pk.name if model._meta.pk else "id"
    records = list(write_records(shape, ordered))
    answer["value"] = records[:wanted]
    left = None if top is None else top - wanted
    if len(records) > wanted and (left is None or left > 0):
        follow = {k: v for k, v in query.items() if k not in ("$skiptoken", "$top", "$count")}
        if left is not None:
            follow["$top"] = str(left)
        if by_key:
            last = records[wanted - 1]["@odata.id"]
            follow["$skiptoken"] = last[last.index("(") + 1 : -1].strip("'") if pk_name else ""
        else:
            before = int(query.get("$skiptoken", "0"))
            follow["$skiptoken"] = str(before + wanted)
        answer["@odata.nextLink"] = f"{model.entity_set}?" + "&".join(
            f"{quote(k, safe='$')}={quote(v, safe='')}" for k, v in follow.items()
        )
    return answer
