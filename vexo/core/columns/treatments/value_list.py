"""A list of values: this becomes that."""

from __future__ import annotations

import unicodedata
from dataclasses import dataclass

import polars as pl

from ...values import bare, normal
from .base import Argument, Beside, Treatment, TreatmentError, bad

_OTHERS = {"keep": "kept", "blank": "blank", "reject": "rejected"}


@dataclass(frozen=True)
class Values(Treatment):
    """Each text that the list has becomes what the list says; the others are kept, blank or rejected. Texts compare
    exactly but for spaces at their ends. Done twice it changes nothing more: what a list gives stays as it is."""

    pairs: tuple[tuple[str, str], ...] = ()
    others: str = "keep"
    do = "values"
    title = "value list"
    says = "change {pairs}, others are {others}"
    arguments = (
        Argument("pairs", "pairs", "This becomes that"),
        Argument("others", "one-of", "Values that the list has not", _OTHERS),
    )
    fails = True
    by_item = True

    def check(self) -> None:
        if self.others not in _OTHERS:
            raise TreatmentError(f"{self.others!r} is nothing that can become of other values.")
        if not self.pairs and self.others == "keep":
            raise TreatmentError("Say which value becomes which.")
        sources = [source.strip() for source, _ in self.pairs]
        if len(set(sources)) < len(sources) or "" in sources:
            twice = next((one for one in sources if sources.count(one) > 1), "")
            raise TreatmentError(f"{twice!r} stands twice in the list. Say once what becomes of it.")
        changed = {source.strip(): target for source, target in self.pairs}
        for source, target in self.pairs:
            if changed.get(target.strip(), target) != target:
                raise TreatmentError(
                    f"{source!r} becomes {target!r}, which becomes {changed[target.strip()]!r}: say at once what "
                    f"{source!r} becomes."
                )

    @property
    def short(self) -> str:
        return f"{len(self.pairs)} values changed"

    def applied(self, text: pl.Expr, beside: Beside) -> pl.Expr:
        plain = text.map_batches(lambda texts: bare(normal(texts)), return_dtype=pl.String)
        known = {unicodedata.normalize("NFC", source.strip()): target for source, target in self.pairs}
        if self.others != "keep":
            known |= {target: target for target in known.values() if target}
        values = plain.replace_strict(list(known), list(known.values()), default=None, return_dtype=pl.String)
        in_list = plain.is_in(list(known))
        rest: pl.Expr = text
        if self.others == "blank":
            rest = pl.lit(None, dtype=pl.String)
        elif self.others == "reject":
            rest = pl.when(plain.is_null()).then(text).otherwise(bad("not-in-list", text))
        return pl.when(in_list).then(values).otherwise(rest)
