"""What to do with the rows of a sheet."""

from __future__ import annotations

from enum import StrEnum


class Operation(StrEnum):
    """What to do with the rows."""

    CREATE = "create"
    UPDATE = "update"
    UPSERT = "upsert"
    DELETE = "delete"
    CREATE_UNMATCHED = "create-unmatched"
    """Every row makes a record; none is looked for by a key."""
    MAKE_SAME = "make-same"
    """The records in reach become what the sheet says: what it lacks is deleted."""

    @property
    def creates(self) -> bool:
        """Whether a row that finds no record becomes a new one."""
        return self not in (Operation.UPDATE, Operation.DELETE)

    @property
    def deletes(self) -> bool:
        """Whether records may be deleted, which are read and kept whole before."""
        return self in (Operation.DELETE, Operation.MAKE_SAME)
