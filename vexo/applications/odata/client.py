"""The OData client: describe, read in pages, write in batches."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from functools import reduce
from typing import Any
from urllib.parse import quote, unquote

import httpx
import polars as pl

from vexo.core.conditions import Condition
from vexo.core.conditions.to_filter import literal, path_of, settled, to_filter, without_lists
from vexo.core.planning.verdicts import DONE, Verdict
from vexo.core.records import Catalogue, Kind, NewField, RecordType
from vexo.core.spread import Spread, ranks, spread_at
from vexo.core.writing import Write, WriteResult, strategy_of
from vexo.core.writing.results import CLASH, DOUBT, UNTAKEN

from ..base import PLAINLY, ApplicationError, Client, NoAnswer, NotTaken, Sending
from ..http import Connection, json_of
from . import paging
from .metadata import read_metadata
from .records import to_frame, to_json, typed

_KEY_IN = re.compile(r"\((?:\w+=)?('(?:[^']|'')*'|[^()',=]*)\)/?$")
"""The key at the end of a record's address."""
KEYS_AT_ONCE = 100
"""Keys of one question: an address of some eight thousand characters, which servers still take."""


class ODataClient(Client):
    """An application that speaks OData 4.01.

    Args:
        address: the service root.
        token: sent as a bearer token; empty for none.
        pages: address of a page for people, with ``{source}`` and ``{id}`` in it.
        quick: someone waits for the answers: one try, and a limit for all of them together.
    """

    def __init__(
        self,
        address: str,
        token: str,
        pages: str = "",
        transport: httpx.BaseTransport | None = None,
        sleep: Callable[[float], None] | None = None,
        *,
        quick: bool = False,
    ) -> None:
        extra: dict[str, Any] = {"quick": quick, **({"sleep": sleep} if sleep else {})}
        self._connection = Connection(address, token, transport, **extra)
        self._pages = pages
        self._quick = quick
        self._catalogue: Catalogue | None = None

    def close(self) -> None:
        self._connection.close()

    def describe(self) -> Catalogue:
        if self._catalogue is None:
            response = self._connection.get("$metadata", {"Accept": "application/xml"})
            if response.status_code != 200:
                raise ApplicationError(
                    f"{self._connection.address} has no $metadata (status {response.status_code}). "
                    "Check that it is the address of an OData service."
                )
            self._catalogue = read_metadata(response.content, self._connection.address)
        return self._catalogue

    def _text(self, condition: Condition | None, record_type: RecordType) -> str:
        if not condition:
            return ""
        plain = settled(condition, datetime.now(UTC))
        return to_filter(plain if self.describe().promises.lists else without_lists(plain), record_type)

    def count(self, record_type: RecordType, condition: Condition | None = None) -> int:
        return self._count(record_type, self._text(condition, record_type))

    def _count(self, record_type: RecordType, text: str) -> int:
        query = "?$filter=" + quote(text, safe="") if text else ""
        response = self._connection.get(
            f"{record_type.source}/$count{query}", {"Accept": "text/plain, application/json"}
        )
        self._refuse(response, record_type)
        return int(response.text.strip().lstrip("\ufeff"))

    def read(
        self,
        record_type: RecordType,
        fields: Sequence[str],
        condition: Condition | None = None,
        order: Sequence[str] = (),
        top: int | None = None,
        after: str = "",
    ) -> Iterator[pl.DataFrame]:
        ask, text = self._asking(record_type), self._text(condition, record_type)
        if order or top is not None:
            return paging.in_order(ask, self.describe(), record_type, fields, text, order, top)
        return paging.by_identifier(ask, self.describe(), record_type, fields, text, after, ahead=not self._quick)

    def totals(
        self, record_type: RecordType, fields: Sequence[str], condition: Condition | None = None
    ) -> Mapping[str, Any]:
        known = [record_type.field(name) for name in fields]
        if not self.describe().promises.sums or not known:
            return super().totals(record_type, fields, condition)
        return paging.sums(self._asking(record_type), record_type, known, self._text(condition, record_type))

    def distinct(self, record_type: RecordType, field: str, condition: Condition | None = None) -> pl.DataFrame:
        known = self.describe().field(record_type, field)
        if not self.describe().promises.sums or known.kind == Kind.CHOICES:
            return super().distinct(record_type, field, condition)
        ask, text = self._asking(record_type), self._text(condition, record_type)
        counted = paging.counted(ask, record_type, known, text)
        values = typed([(known, [value for value, _ in counted])])[0].alias(field)
        return pl.DataFrame([values, pl.Series("count", [times for _, times in counted], dtype=pl.UInt32)])

    def spread(self, record_type: RecordType, field: str, condition: Condition | None = None) -> Spread | None:
        known, text = record_type.field(field), self._text(condition, record_type)
        text = f"({text}) and {path_of(known)} ne null" if text else f"{path_of(known)} ne null"
        count = self._count(record_type, text)
        if not count:
            return None
        ask = self._asking(record_type)
        try:
            values = [paging.at_rank(ask, self.describe(), record_type, known, text, rank) for rank in ranks(count)]
        except (NoAnswer, NotTaken):
            raise
        except ApplicationError:
            # A service that passes over no records in its order is read.
            return super().spread(record_type, field, condition)
        return spread_at(pl.concat(values), count, known)

    def _asking(self, record_type: RecordType) -> paging.Ask:
        def ask(path: str) -> dict[str, Any]:
            response = self._connection.get(path, {"Prefer": f"odata.maxpagesize={paging.PAGE}"})
            self._refuse(response, record_type)
            answer = json_of(response)
            if not isinstance(answer, dict) or not isinstance(answer.get("value"), list):
                raise ApplicationError(
                    f"{record_type.plural}: the answer is not a list of records. Tell the administrator."
                )
            return answer

        return ask

    def read_by_keys(
        self, record_type: RecordType, fields: Sequence[str], key: Sequence[str], values: pl.DataFrame
    ) -> pl.DataFrame:
        parts = [to_frame([], fields, record_type, self.describe())]
        wanted = values.select(key).drop_nulls().unique(maintain_order=True)
        at_once = KEYS_AT_ONCE if self.describe().promises.lists else KEYS_AT_ONCE // 3
        for start in range(0, len(wanted), at_once):
            some = wanted.slice(start, at_once)
            text = self._key_filter(record_type, key, some)
            ask, catalogue = self._asking(record_type), self.describe()
            parts.extend(paging.by_identifier(ask, catalogue, record_type, fields, text, "", ahead=False))
        return pl.concat(parts).unique("@id", keep="first", maintain_order=True)

    def _key_filter(self, record_type: RecordType, key: Sequence[str], values: pl.DataFrame) -> str:
        """The keys as text: one list for a single field; for several, a list for each value of all but the last."""
        key_fields = [record_type.field(name) for name in key]
        last = key_fields[-1]

        def listed(rows: pl.DataFrame) -> str:
            texts = [literal(last, value) for value in rows[last.name].to_list()]
            if self.describe().promises.lists:
                return f"{path_of(last)} in ({','.join(texts)})"
            return "(" + " or ".join(f"{path_of(last)} eq {text}" for text in texts) + ")"

        if len(key_fields) == 1:
            return listed(values)
        parts = []
        for first, rows in values.group_by([f.name for f in key_fields[:-1]], maintain_order=True):
            same = [f"{path_of(f)} eq {literal(f, v)}" for f, v in zip(key_fields[:-1], first, strict=True)]
            parts.append("(" + " and ".join([*same, listed(rows)]) + ")")
        return reduce(lambda left, right: f"{left} or {right}", parts)

    def _refuse(self, response: httpx.Response, record_type: RecordType) -> None:
        if response.status_code == 404:
            raise ApplicationError(
                f"{record_type.plural} are no longer there in the application. Look at what it has now."
            )
        if response.status_code >= 400:
            message, _, _ = _error_of(_body_of(response))
            raise ApplicationError(f"The application does not understand the question: {message}")

    def add_field(self, record_type: RecordType, field: NewField) -> None:
        where = self.describe().promises.fields_at
        if not where:
            return super().add_field(record_type, field)
        existing: Any = field.existing or None
        if existing is not None and field.kind == "number":
            existing = Decimal(existing)
        elif existing is not None and field.kind == "yes or no":
            existing = existing.lower() in ("yes", "true", "1")
        body = {"name": field.name, "label": field.label, "kind": field.kind, "required": field.required}
        more = {"record_type": record_type.name, "choices": list(field.choices), "existing": existing}
        self._connection.post_definition(where, {**body, **more})
        self._catalogue = None
        return None

    def add_choice(self, record_type: RecordType, field: str, value: str) -> None:
        where = self.describe().promises.choices_at
        if not where:
            return super().add_choice(record_type, field, value)
        body = {"record_type": record_type.name, "field": field, "value": value}
        self._connection.post_definition(where, body)
        self._catalogue = None
        return None

    def write(self, record_type: RecordType, writes: Sequence[Write], sending: Sending = PLAINLY) -> list[WriteResult]:
        if self.describe().promises.batch == 1 and not sending.atomic:
            return [self._write_alone(record_type, write, sending) for write in writes]
        requests = [self._request(record_type, write, at, sending) for at, write in enumerate(writes)]
        headers = {"Prefer": "continue-on-error"}
        response = self._connection.post_once("$batch", {"requests": requests}, headers, sending.before_body)
        try:
            given = json_of(response)["responses"]
            answers = {str(one["id"]): one for one in given}
        except (ApplicationError, KeyError, TypeError) as error:
            raise NoAnswer("The application's answer to a batch cannot be read.") from error
        write_results: list[WriteResult] = []
        for at, write in enumerate(writes):
            write_results.append(
                self._answer(record_type, write, answers.get(str(at)), failed=any(map(_failed, write_results)))
            )
        held = self._held(record_type, {str(at): answers.get(str(at)) for at in range(len(writes))})
        return [replace(answer, values=held.get(str(at), {})) for at, answer in enumerate(write_results)]

    def _write_alone(self, record_type: RecordType, write: Write, sending: Sending) -> WriteResult:
        """One write by itself, where the service promises no batches."""
        request = self._request(record_type, write, write.at, sending)
        response = self._connection.send_once(
            request["method"], request["url"], request.get("body"), request["headers"], sending.before_body
        )
        answer = {"status": response.status_code, "headers": dict(response.headers), "body": _body_of(response)}
        if response.is_success and response.content and not isinstance(answer["body"], dict):
            raise NoAnswer("The application's answer to a write cannot be read.")
        result = self._answer(record_type, write, answer, failed=False)
        return replace(result, values=self._held(record_type, {"": answer}).get("", {}))

    def _held(self, record_type: RecordType, answers: Mapping[str, Any]) -> dict[str, dict[str, Any]]:
        """The values that the application now holds by its own answers, typed all at once."""
        bodies = {
            at: {record_type.identifier: at, **answer["body"]}
            for at, answer in answers.items()
            if isinstance(answer, dict) and 200 <= _status(answer) < 300 and isinstance(answer.get("body"), dict)
        }
        names = [f.name for f in record_type.fields if any(f.name in body for body in bodies.values())]
        frame = to_frame(list(bodies.values()), names, record_type, self.describe())
        return {
            at: {name: line[name] for name in names if name in body}
            for (at, body), line in zip(bodies.items(), frame.iter_rows(named=True), strict=True)
        }

    def _entity(self, record_type: RecordType, identifier: str) -> str:
        field = record_type.field(record_type.identifier)
        return f"{record_type.source}({quote(literal(field, identifier), safe=chr(39))})"

    def _request(self, record_type: RecordType, write: Write, at: int, sending: Sending) -> dict[str, Any]:
        change = strategy_of(write.verdict).request(write)
        request: dict[str, Any] = {"id": str(at)}
        headers = {"content-type": "application/json", "prefer": "return=representation"}
        if change.what == Verdict.CREATE:
            request |= {"method": "POST", "url": record_type.source}
        else:
            method = "PATCH" if change.what == Verdict.UPDATE else "DELETE"
            request |= {"method": method, "url": self._entity(record_type, change.identifier or "")}
            if change.version is not None:
                headers["if-match"] = change.version
        if change.what != Verdict.DELETE:
            request["body"] = {n: to_json(record_type.field(n), v) for n, v in change.values.items()}
        if sending.atomic:
            request["atomicityGroup"] = "all"
        if sending.first_sent:
            headers |= {"repeatability-request-id": write.number, "repeatability-first-sent": sending.first_sent}
        return {**request, "headers": headers}

    def _answer(self, record_type: RecordType, write: Write, answer: Any, failed: bool) -> WriteResult:
        """One write's answer. After a failure, a write that nobody answered was not looked at."""
        if not isinstance(answer, dict):
            return WriteResult(write.at, UNTAKEN if failed else DOUBT, write.identifier)
        status, body = _status(answer), answer.get("body")
        headers = {str(k).lower(): str(v) for k, v in (answer.get("headers") or {}).items()}
        repeated = headers.get("repeatability-result", "").lower()
        accepted = repeated == "accepted"
        if repeated == "rejected" or status in (408, 429) or status >= 500 or status < 200:
            return WriteResult(write.at, DOUBT, write.identifier, code="rejected" if repeated == "rejected" else "")
        if status < 300:
            return self._taken(record_type, write, body, headers, accepted)
        # Of a new record there is no version that could be another: such a refusal is one like any other.
        if status == 412 and write.verdict != Verdict.CREATE:
            return WriteResult(write.at, CLASH, write.identifier, accepted=accepted)
        message, field, code = _error_of(body)
        words = f"{status} · {code}" if code else str(status)
        mine = "undone-with-group" if status == 424 else "refused"
        return WriteResult(
            write.at, "refused", write.identifier, None, mine, field or "", (message, words), accepted=accepted
        )

    def _taken(
        self, record_type: RecordType, write: Write, body: Any, headers: dict[str, str], accepted: bool
    ) -> WriteResult:
        identifier, version = write.identifier, headers.get("etag")
        warnings: tuple[str, ...] = ()
        if isinstance(body, dict):
            warnings = _warnings(body)
            version = body.get("@odata.etag") or body.get("@etag") or version
            identifier = str(body.get(record_type.identifier) or identifier or "") or None
        if write.verdict == Verdict.CREATE and identifier is None:
            identifier = _identifier_at(headers.get("odata-entityid") or headers.get("location") or "")
        state = DONE[write.verdict]
        return WriteResult(write.at, state, identifier, version, warnings=warnings, accepted=accepted)

    def link(self, record_type: RecordType, identifier: str) -> str | None:
        if not self._pages:
            return None
        return self._pages.format(source=record_type.source, id=quote(identifier, safe=""))


def _identifier_at(address: str) -> str | None:
    """The ID of a record by its address, which may name the field that it is the value of."""
    key = _KEY_IN.search(unquote(address))
    return key[1].removeprefix("'").removesuffix("'").replace("''", "'") if key else None


def _body_of(response: httpx.Response) -> Any:
    try:
        return json_of(response)
    except ApplicationError:
        return None


def _error_of(body: Any) -> tuple[str, str | None, str | None]:
    """An OData error object → message, field, code."""
    error = body.get("error") if isinstance(body, dict) else None
    if not isinstance(error, dict):
        return "it gave no reason.", None, None
    return str(error.get("message") or "it gave no reason."), error.get("target"), error.get("code")


def _failed(answer: WriteResult) -> bool:
    return answer.state not in DONE.values()


def _status(answer: dict[str, Any]) -> int:
    try:
        return int(answer.get("status", 0))
    except (TypeError, ValueError):
        return 0


def _warnings(body: dict[str, Any]) -> tuple[str, ...]:
    """What the application has to say of a row that it took. Source: OData Core vocabulary, Messages."""
    for name in ("@Core.Messages", "@Org.OData.Core.V1.Messages"):
        messages = body.get(name)
        if isinstance(messages, list):
            return tuple(str(one.get("message", ""))[:500] for one in messages if isinstance(one, dict))
    return ()
