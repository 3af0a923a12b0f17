"""Rows that would do what the application's rules have switched off are rejected."""

from __future__ import annotations

from collections.abc import Collection

import polars as pl

from ..problems import FAULT
from .frame import FAULTS, VERDICT
from .verdicts import Verdict

CODE = "not-allowed"


def reject_denied(plan: pl.DataFrame, deny: Collection[Verdict]) -> pl.DataFrame:
    """A plan in which no row does what is off.

    Args:
        plan: any rows of a plan (see ``frame``).
        deny: verdicts that are off.
    """
    if not deny:
        return plan
    off = pl.col(VERDICT).is_in([verdict.value for verdict in deny])
    arguments = pl.concat_list(pl.col(VERDICT))
    fault = pl.struct(pl.lit(CODE).alias("code"), pl.lit("").alias("field"), arguments.alias("arguments")).cast(FAULT)
    return plan.with_columns(
        pl.when(off).then(pl.concat_list(fault, FAULTS)).otherwise(FAULTS).alias(FAULTS),
        pl.when(off).then(pl.lit(Verdict.REJECTED.value)).otherwise(VERDICT).alias(VERDICT),
    )
