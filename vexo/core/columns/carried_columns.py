"""The columns of the table of carried values: one row for each row of the sheet, some columns for each field.

Beside ``row_id`` and ``row`` each carried or checked field has the columns that ``CarriedColumns`` names.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class CarriedColumns:
    """Names of the columns of one field.

    Attributes:
        name: the field's name.
    """

    name: str

    @property
    def value(self) -> str:
        """The typed value (``values.dtype`` of the field; a reference as record ID); items to add where the cell
        changes a list."""
        return f"value.{self.name}"

    @property
    def cell_says(self) -> str:
        """What the cell says, UInt8: a constant of ``marks`` such as ``VALUE``, ``LEAVE`` or ``CLEAR``."""
        return f"cell_says.{self.name}"

    @property
    def problem(self) -> str:
        """Why the cell cannot be read, String (see ``problems.problem``), or null."""
        return f"problem.{self.name}"

    @property
    def raw_text(self) -> str:
        """The cell's text where it has a problem, String, else null."""
        return f"raw_text.{self.name}"

    @property
    def removed_items(self) -> str:
        """Of a many-valued field: the items that the cell takes away, List(String)."""
        return f"removed_items.{self.name}"

    @property
    def key(self) -> str:
        """Of a key field: the row's key in the form in which keys compare; null where it is blank or unreadable."""
        return f"key.{self.name}"
