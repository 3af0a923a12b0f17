"""How a sheet is brought in, as data: columns, lanes, key, operation and rules."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from ..columns.lanes import PLAIN, Blank, Lane, lanes_from_json
from ..columns.treatments import Treatment
from ..conditions import ConditionError, read_condition
from ..operations import Operation
from ..records import Catalogue, Field, Ignored, Kind, RecordType
from ..values import SEPARATOR
from .base import VERSION, DocumentError, Lost, texts

ALL = "all"
"""The reach of a trip that may touch all records of its type."""

SENT = "sent"
"""The reach of a sheet that went out from here: the records that went out, and new ones."""

OPERATION_WORDS = {
    Operation.CREATE: "create records",
    Operation.UPDATE: "update records",
    Operation.UPSERT: "create or update records",
    Operation.DELETE: "delete records",
    Operation.CREATE_UNMATCHED: "create records, matched by nothing",
    Operation.MAKE_SAME: "make records in reach the same as the sheet",
}
"""What rows are for, as the end of a sentence."""


@dataclass(frozen=True)
class BringIn:
    """How a sheet comes in.

    Attributes:
        columns: header → field, empty where a column is not carried by choice.
        lanes: field → lane, of fields of which anything was said.
        key: key fields; empty where the sheet tells it.
        row_condition: a condition on the sheet's own columns; only rows that meet it are carried.
        row_headers: the columns that it looks at.
        ignores: what makes no difference between keys.
        reach: which records it may touch: ``ALL``, ``SENT``, a condition, or empty for what the sheet says by itself.
    """

    record_type: str
    columns: Mapping[str, str] = field(default_factory=dict)
    lanes: Mapping[str, Lane] = field(default_factory=dict)
    key: tuple[str, ...] = ()
    operation: Operation = Operation.UPDATE
    row_condition: str = ""
    row_headers: tuple[str, ...] = ()
    ignores: tuple[str, ...] = ()
    reach: str = ""

    def to_json(self) -> dict[str, Any]:
        return {
            "version": VERSION,
            "record_type": self.record_type,
            "columns": dict(self.columns),
            "lanes": {name: lane.to_json() for name, lane in self.lanes.items() if lane != PLAIN},
            "key": list(self.key),
            "operation": self.operation.value,
            "row_condition": self.row_condition,
            "row_headers": list(self.row_headers),
            **({"ignores": list(self.ignores)} if self.ignores else {}),
            **({"reach": self.reach} if self.reach else {}),
        }

    @classmethod
    def from_json(cls, data: Mapping[str, Any]) -> BringIn:
        """Raises DocumentError, LaneError, TreatmentError."""
        try:
            if data.get("version", VERSION) != VERSION:
                raise DocumentError(f"Version {data['version']!r} of this document is not known here.")
            return cls(
                record_type=str(data["record_type"]),
                columns={str(header): str(name) for header, name in data.get("columns", {}).items()},
                lanes=lanes_from_json(data.get("lanes", {})),
                key=texts(data.get("key", ())),
                operation=Operation(data.get("operation", Operation.UPDATE)),
                row_condition=str(data.get("row_condition", "")),
                row_headers=texts(data.get("row_headers", ())),
                ignores=tuple(Ignored(one).value for one in texts(data.get("ignores", ()))),
                reach=str(data.get("reach", "")),
            )
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise DocumentError(f"This is not a document of how a sheet comes in: {error}.") from error

    @property
    def headers(self) -> set[str]:
        """The columns that a sheet must have to come in so: those that are carried, those that lanes look at, and those
        of the condition on its rows."""
        carried = {header for header, name in self.columns.items() if name}
        looked = {h for lane in self.lanes.values() for h in (lane.source, *lane.headers) if h}
        return carried | looked | set(self.row_headers)


def fitted_bringing(document: BringIn, catalogue: Catalogue) -> tuple[BringIn, list[Lost]]:
    """As much of a document as still fits, and what does not. Raises UnknownName where the record type is gone."""
    record_type = catalogue.type(document.record_type)
    lost: list[Lost] = []
    columns: dict[str, str] = {}
    for header, name in document.columns.items():
        if not name or record_type.find(name) is not None:
            columns[header] = name
        else:
            lost.append(Lost(name, "carried"))
    lanes = {name: lane for name, lane in document.lanes.items() if record_type.find(name) is not None}
    known = {one.name for one in lost}
    lost += [Lost(name, "carried") for name in document.lanes if name not in lanes and name not in known]
    key = document.key
    for name in key:
        if record_type.find(name) is None:
            lost.append(Lost(name, "key"))
            key = ()
    if document.reach not in ("", ALL, SENT):
        try:
            read_condition(document.reach, record_type, catalogue)
        except ConditionError as error:
            # It stays: without it the sheet would touch all records.
            lost.append(Lost(error.message, "reach"))
    return replace(document, columns=columns, lanes=lanes, key=key), lost


def phrase(treatment: Treatment) -> str:
    """What a treatment does, in words."""

    def told(match: re.Match[str]) -> str:
        argument = next(one for one in treatment.arguments if one.name == match[1])
        value = getattr(treatment, argument.name)
        if argument.options:
            return argument.options.get(str(value), str(value))
        if argument.kind == "pairs":
            shown = ", ".join(f"“{a}” to “{b}”" for a, b in value[:3])
            return shown + (f" and {len(value) - 3} more" if len(value) > 3 else "")
        if isinstance(value, tuple):
            return ", ".join(f"“{one}”" for one in value)
        return f"“{value}”" if argument.kind == "text" else str(value)

    return re.sub(r"\{(\w+)\}", told, treatment.says)


def lane_sentence(field: Field, lane: Lane, header: str) -> str:
    """A field's lane as one sentence."""
    if lane.fixed:
        added = "add" if lane.adds else "take"
        return f"For every row {added} “{lane.fixed}”."
    clauses = [f"{'Compare' if lane.check else 'Take'} {header or field.label}", *map(phrase, lane.treatments)]
    if field.kind == Kind.CHOICES:
        if lane.separator != SEPARATOR:
            clauses.append(f"split at “{lane.separator}”")
        if lane.adds:
            clauses.append("add to what is there")
    if lane.blank == Blank.CLEAR:
        clauses.append("a blank clears")
    if lane.blank == Blank.DEFAULT:
        clauses.append(f"a blank is “{lane.default}”" + ("" if lane.updates else " in new records"))
    if lane.only_empty:
        clauses.append("only where it is empty")
    sentence = ", ".join(clauses)
    # A header such as "Berth no." ends with a stop of its own.
    return sentence if sentence.endswith(".") else f"{sentence}."


def sentence_of_bringing(document: BringIn, catalogue: Catalogue) -> str:
    """How a sheet comes in, as one sentence. The document fits the catalogue."""
    record_type: RecordType = catalogue.type(document.record_type)
    fields = [name for name in document.columns.values() if name]
    fields += [name for name, lane in document.lanes.items() if lane.own_column and name not in fields]
    labels = [record_type.field(name).label for name in fields if record_type.find(name)]
    sentence = OPERATION_WORDS[document.operation].replace("records", record_type.plural)
    if document.key:
        sentence += f" by {' + '.join(record_type.field(name).label for name in document.key)}"
        if document.ignores:
            sentence += f", whatever their {' and '.join(document.ignores)}"
    shown = ", ".join(labels[:4]) + (f" and {len(labels) - 4} more" if len(labels) > 4 else "")
    treated = sum(1 for lane in document.lanes.values() if lane.treatments)
    if shown:
        sentence += f", from {shown}"
    if treated:
        sentence += f"; {treated} cleaned on the way"
    if document.row_condition:
        sentence += f"; only rows where {document.row_condition}"
    if document.reach == ALL:
        sentence += "; touching any record"
    elif document.reach == SENT:
        sentence += "; touching only records that went out"
    elif document.reach:
        sentence += f"; touching only records where {document.reach}"
    return f"{sentence[0].upper()}{sentence[1:]}."
