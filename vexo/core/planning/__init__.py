"""Carried values, records then and now → a plan: one verdict a row, old and new value of each field."""

from .inputs import Inputs, Settings
from .planning import make_plan
from .verdicts import Operation, Verdict

__all__ = ["Inputs", "Operation", "Settings", "Verdict", "make_plan"]
