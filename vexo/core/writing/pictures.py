"""What passes wrote into a field, as the table of which a picture is made: values before the first of them, and by the
last one's own answers."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from ..planning.frame import VERDICT, FieldColumns, beside
from ..planning.verdicts import CellAction, Verdict
from ..records import Field
from ..sheets.sheet import ROW_ID
from ..values import dtype

_VERDICT_OF = {"created": Verdict.CREATE.value, "updated": Verdict.UPDATE.value, "deleted": Verdict.DELETE.value}


def columns_of_page(name: str) -> list[str]:
    """The columns of a page that the picture of a field is made of."""
    columns = FieldColumns(name)
    return [ROW_ID, "state", columns.before, columns.base_app, columns.wrote]


def as_written(plan: pl.DataFrame, pages: Sequence[pl.DataFrame], field: Field) -> pl.DataFrame:
    """The columns of which ``planning.pictures.picture_of`` makes a picture, of what was written.

    Args:
        plan: ``row_id`` and the columns of the picture, of the plan that was sent last.
        pages: those of its passes (``ledger.page_of``), the oldest first, or ``columns_of_page`` of them.
    """
    columns, value_type = FieldColumns(field.name), dtype(field)
    names = columns_of_page(field.name)
    # Pages of earlier passes keep the type that the field had then, which a later catalogue may have changed.
    as_now = pl.col(columns.before, columns.base_app).cast(value_type, strict=False)
    lines = [page.select(names).with_columns(as_now) for page in pages if columns.wrote in page.columns]
    in_all = pl.concat(lines) if lines else pl.DataFrame(schema=dict.fromkeys(names, pl.String))
    in_all = in_all.filter(pl.col("state").is_in(list(_VERDICT_OF)))
    by_row = in_all.group_by(pl.col(ROW_ID).cast(pl.UInt32), maintain_order=True).agg(
        pl.col("state").last().replace_strict(_VERDICT_OF, return_dtype=pl.String).alias("did"),
        pl.col(columns.wrote).cast(pl.Boolean, strict=False).any().alias("wrote"),
        pl.col(columns.before).filter(pl.col(columns.wrote) | (pl.col("state") == "deleted")).first().alias("first"),
        pl.col(columns.base_app).filter(pl.col(columns.wrote)).last().alias("last"),
    )
    table = plan.hstack(beside(plan[ROW_ID], by_row))
    wrote, did = pl.col("wrote").fill_null(value=False), pl.col("did")
    gone = (did == Verdict.DELETE.value).fill_null(value=False)
    return table.select(
        pl.coalesce(did, pl.lit(Verdict.SAME.value)).alias(VERDICT),
        pl.when(wrote).then(CellAction.WRITE).otherwise(CellAction.NOTHING).cast(pl.UInt8).alias(columns.action),
        pl.when(wrote | gone).then(pl.col("first").cast(value_type)).otherwise(columns.current).alias(columns.current),
        pl.when(wrote).then(pl.col("last").cast(value_type)).otherwise(columns.proposed).alias(columns.proposed),
    )
