"""Conditions on records: text in OData's ``$filter`` syntax ↔ a checked tree ↔ what it means on data."""

from .parser import LONGEST, ConditionError, read_condition
from .tree import Condition

__all__ = ["LONGEST", "Condition", "ConditionError", "read_condition"]
