"""Carried values, records then and now → a plan: one verdict a row, old and new value of each field."""

from .planning import Inputs, Settings, make_plan
from .verdicts import Operation, Verdict

__all__ = ["Inputs", "Operation", "Settings", "Verdict", "make_plan"]
