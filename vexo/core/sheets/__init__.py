"""Files ↔ cells: reading and writing sheets."""

from .findings import Finding
from .readers.sandbox import keep_a_reader_waiting, read_sheet
from .sheet import Choices, Column, SheetError, SheetProfile, Stamp

__all__ = ["Choices", "Column", "Finding", "SheetError", "SheetProfile", "Stamp", "keep_a_reader_waiting", "read_sheet"]
