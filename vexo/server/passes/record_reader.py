"""Reading records again: those that writes in doubt are about, and all that were written."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import polars as pl

from vexo.applications import Client
from vexo.core.planning.verdicts import Verdict
from vexo.core.records import IDENTIFIER, RecordType
from vexo.core.values import dtype
from vexo.core.writing import Write
from vexo.core.writing.create import telling_key

RecordNow = Mapping[str, Any]
"""A record as it is now: its values by field, with ``@id`` and ``@version``."""


class Reader:
    """Asks the application what it holds now."""

    def __init__(self, client: Client, record_type: RecordType, fields: Sequence[str], key: Sequence[str]) -> None:
        self.client, self.type = client, record_type
        self.fields = list(dict.fromkeys([*fields, *key]))
        self.key = tuple(key)

    def by_identifier(self, identifiers: Sequence[str], fields: Sequence[str]) -> pl.DataFrame:
        """Records by their IDs."""
        table = pl.DataFrame({self.type.identifier: pl.Series(list(identifiers), dtype=pl.String)})
        return self.client.read_by_keys(self.type, list(fields), [self.type.identifier], table)

    def of_writes(self, writes: Sequence[Write]) -> dict[int, RecordNow]:
        """Place of a write → the record it is about as it is now, where there is one."""
        by_write: dict[int, RecordNow] = {}
        known = [w for w in writes if w.identifier is not None]
        if known:
            deletes = any(w.verdict == Verdict.DELETE for w in known)
            fields = [f.name for f in self.type.fields] if deletes else self.fields
            records = self.by_identifier([str(w.identifier) for w in known], fields)
            by_id = {line[IDENTIFIER]: line for line in records.iter_rows(named=True)}
            by_write |= {w.at: by_id[w.identifier] for w in known if w.identifier in by_id}
        groups: dict[tuple[str, ...], list[Write]] = {}
        for write in writes:
            key = telling_key(self.type, write, self.key) if write.identifier is None else None
            if key is not None:
                groups.setdefault(key, []).append(write)
        for key, some in groups.items():
            by_write |= self._by_key(key, some)
        return by_write

    def made_with_key(self, writes: Sequence[Write]) -> dict[int, RecordNow]:
        """Place of a create → a record that has its key by the plan now, where there is one."""
        keyed = [w for w in writes if self.key and all(w.values.get(name) is not None for name in self.key)]
        return self._by_key(self.key, keyed) if keyed else {}

    def _by_key(self, key: tuple[str, ...], writes: Sequence[Write]) -> dict[int, RecordNow]:
        key_fields = [self.type.field(name) for name in key]
        columns = [pl.Series(f.name, [w.values[f.name] for w in writes], dtype=dtype(f)) for f in key_fields]
        wanted = pl.DataFrame([pl.Series("at", [w.at for w in writes], dtype=pl.UInt32), *columns])
        fields = list(dict.fromkeys([*self.fields, *key]))
        records = self.client.read_by_keys(self.type, fields, list(key), wanted)
        joined = wanted.join(records, on=list(key), how="inner")
        return {line["at"]: line for line in joined.iter_rows(named=True)}
