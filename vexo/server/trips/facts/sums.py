"""Rows by what becomes, or became, of them."""

from __future__ import annotations

from vexo.core.planning.verdicts import RowState

Sum = dict[RowState, int]
