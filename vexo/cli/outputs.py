"""Files that a command writes where a person wants them."""

from __future__ import annotations

import errno
import os
import shutil
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from vexo.core.wording import one_of

_KINDS = (".xlsx", ".xlsm", ".xls", ".ods", ".csv", ".tsv", ".zip", ".html", ".jsonl", ".gz", ".tgz")
"""Endings by which people and programs know what is in a file."""


def refuse_other_ending(output: Path, ending: str, *others: str, remedy: str = "") -> None:
    """Raises PlainError where a file would be written under a name that says it is of another kind.

    Args:
        ending: of names that say what is in it; one that says nothing, as ``.txt``, goes with any.
        others: endings that it can have, too.
        remedy: what else can be done.
    """
    from vexo.server.errors import PlainError

    endings = (ending.lower(), *others)
    if endings[0] in _KINDS and output.suffix.lower() in set(_KINDS) - set(endings):
        words = f"What is written to {output.name} is no {output.suffix}. End its name in {one_of(endings)}."
        raise PlainError(f"{words} {remedy}".strip())


@contextmanager
def written_whole(
    output: Path, endings: Sequence[str] = (), remedy: str = "Choose another place, or make room there."
) -> Iterator[Path]:
    """Where to write a file: afterwards it is there whole, or what was there before still is. A pipe, a device or a
    file in a folder that takes no other is written as it is.

    Args:
        endings: what its name is to end in, where that says in which format it is written.
        remedy: what to do where it cannot be written.

    Raises:
        PlainError: where its name ends otherwise, or it cannot be written.
    """
    from vexo.core.os_errors import errno_of
    from vexo.server.data_folder import replacing
    from vexo.server.errors import PlainError, unknown_format

    if endings and output.suffix.lower() not in endings:
        raise unknown_format(output.name, endings)
    try:
        target = _at_its_end(output)
        exists = target.exists()
        if exists and not (target.is_file() and os.access(target.parent, os.W_OK)):
            yield output
        elif not target.parent.is_dir():
            raise PlainError(f"There is no folder {output.parent}. Make it, or choose another.")
        else:
            with replacing(target, target.suffix) as aside:
                yield aside
                if exists:
                    # Whoever may read it may read what is new in it.
                    shutil.copymode(target, aside)
    except Exception as error:
        number = errno_of(error)
        if number is None:
            raise
        raise PlainError(f"{output} cannot be written: {os.strerror(number)}. {remedy}") from error


def _at_its_end(path: Path) -> Path:
    """Where a path leads. Raises OSError where its links lead in a circle: Python 3.12 and older say that otherwise."""
    try:
        return path.resolve()
    except RuntimeError as error:
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), str(path)) from error
