"""What to do with the rows of a sheet."""

from __future__ import annotations

from enum import StrEnum


class Operation(StrEnum):
    """What to do with the rows."""

    CREATE = "create"
    UPDATE = "update"
    UPSERT = "upsert"
    DELETE = "delete"

    @property
    def creates(self) -> bool:
        """Whether a row that finds no record becomes a new one."""
        return self in (Operation.CREATE, Operation.UPSERT)
