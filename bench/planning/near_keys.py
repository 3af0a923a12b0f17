"""Near keys of many keys that were not found among many that exist, beside all pairs.

    python -m bench.planning.near_keys [--lost 100000] [--known 1000000] [--sample 20]

All pairs are looked at with rapidfuzz for a sample of the keys, and reckoned up to all of them; the candidates of the
sample have to be the same. Growth is told at a tenth and a hundredth of both.
"""

from __future__ import annotations

import argparse
import random
import time

import polars as pl
from rapidfuzz import process
from rapidfuzz.distance import OSA

from vexo.core.keys.near import AT, near_records
from vexo.core.records import IDENTIFIER

NAME = "key"


def known_keys(number: int) -> pl.DataFrame:
    """Keys as people give them: two letters, a figure of a place, and numbers one after the other."""
    at = pl.int_range(number, eager=True)
    texts = pl.select(
        pl.concat_str(
            pl.lit("B"), (at % 26 + 65).map_elements(chr, return_dtype=pl.String), pl.lit("-"),
            at.cast(pl.String).str.zfill(7), (at * 7 % 26 + 97).map_elements(chr, return_dtype=pl.String),
        )
    ).to_series()  # fmt: skip
    return pl.DataFrame([at.cast(pl.String).alias(IDENTIFIER), texts.alias(NAME)])


def lost_keys(known: pl.DataFrame, number: int) -> pl.DataFrame:
    """Keys with a slip each: other letters, one more or less, two that changed places, O for 0."""
    pick = random.Random(7)
    texts = known[NAME].sample(number, seed=7).to_list()
    slips = []
    for text in texts:
        at, kind = pick.randrange(3, len(text) - 1), pick.randrange(5)
        slips.append(
            (
                text[:-1] + pick.choice("XYZ"),
                text[:at] + pick.choice("XYZ") + text[at:],
                text[:at] + text[at + 1 :],
                text[1] + text[0] + text[2:],
                text.replace("0", "O", 1),
            )[kind]
        )
    made = pl.DataFrame({NAME: slips}).unique(maintain_order=True)
    return made.filter(~pl.col(NAME).is_in(known[NAME].implode()))


def timed(lost: pl.DataFrame, known: pl.DataFrame) -> tuple[float, pl.DataFrame]:
    began = time.perf_counter()
    found = near_records(lost, known, [NAME])
    return time.perf_counter() - began, found


def all_pairs(lost: list[str], known: list[str]) -> tuple[float, list[list[str]]]:
    """Seconds for these keys, and for each the existing ones that are one step away."""
    began = time.perf_counter()
    found = [process.extract(key, known, scorer=OSA.distance, score_cutoff=1, limit=None) for key in lost]
    return time.perf_counter() - began, [sorted(text for text, *_ in one) for one in found]


def main() -> None:
    parser = argparse.ArgumentParser()
    for name, default in (("--lost", 100_000), ("--known", 1_000_000), ("--sample", 20)):
        parser.add_argument(name, type=int, default=default)
    asked = parser.parse_args()
    for part in (100, 10, 1):
        known = known_keys(asked.known // part)
        lost = lost_keys(known, asked.lost // part)
        seconds, found = timed(lost, known)
        print(f"{len(lost):9,} of {len(known):9,} keys: {seconds:7.2f} s, {len(found):9,} candidates", flush=True)
    # Keys of which no form is equal to another's: there the steps are all that counts.
    steps = lost.with_row_index(AT).filter(pl.col(NAME).str.contains("[XYZ]")).head(asked.sample)
    plain, wanted = all_pairs(steps[NAME].to_list(), known[NAME].to_list())
    texts = found.join(known, on=IDENTIFIER, how="inner")
    same = sum(
        sorted(texts.filter(pl.col(AT) == at)[NAME].to_list()) == one
        for at, one in zip(steps[AT].to_list(), wanted, strict=True)
    )
    every = plain / len(steps) * len(lost)
    print(
        f"all pairs: {plain:.1f} s for {len(steps)} keys, {every:,.0f} s for all: {every / seconds:,.0f} times as long"
    )
    print(f"the same candidates for {same} of {len(steps)}")


if __name__ == "__main__":
    main()
