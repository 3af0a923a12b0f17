"""Files ↔ cells: reading and writing sheets."""

from .findings import Finding
from .reading import read_sheet
from .sheet import Choices, Column, SheetError, SheetProfile, Stamp

__all__ = ["Choices", "Column", "Finding", "SheetError", "SheetProfile", "Stamp", "read_sheet"]
