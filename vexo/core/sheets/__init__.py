"""Files ↔ cells: reading and writing sheets."""

from .reading import read_sheet
from .sheet import Column, SheetError, SheetProfile, Stamp

__all__ = ["Column", "SheetError", "SheetProfile", "Stamp", "read_sheet"]
