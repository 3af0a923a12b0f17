"""Carried values, records then and now → a plan: one verdict a row, old and new value of each field."""

from ..operations import Operation
from .inputs import Inputs, Settings
from .plan import make_plan
from .verdicts import Verdict

__all__ = ["Inputs", "Operation", "Settings", "Verdict", "make_plan"]
