"""The guard of texts that a spreadsheet would run as a formula when it opens a delimited file: an apostrophe before
them, told apart from one of the text's own by doubling. One place says which texts these are, for all who write or read
them."""

from __future__ import annotations

import polars as pl

PREFIX = "'"
_STARTS = r"=+\-@\t\r\n＝＋－＠'"
"""Characters with which such a text begins; some programs take the wide forms, and a line end before any, alike."""
FORMULA_BEGIN = f"^[{_STARTS}]"
"""The beginning of a text that is to be guarded."""
PREFIXED = f"^{PREFIX}[{_STARTS}]"
"""The beginning of a text that is guarded."""


def put_on(texts: pl.Series) -> pl.Series:
    """Texts with the guard where they need it."""
    return texts.str.replace(FORMULA_BEGIN, PREFIX + "$0")


def take_off(texts: pl.Series) -> pl.Series:
    """Texts without the guard, as they were."""
    return texts.str.replace(f"^{PREFIX}([{_STARTS}])", "${1}")
