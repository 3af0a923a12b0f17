"""Files that a command writes where a person wants them."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def written_whole(output: Path, remedy: str = "Choose another place, or make room there.") -> Iterator[Path]:
    """Where to write a file: afterwards it is there whole, or what was there before still is. A pipe, a device or a
    file in a folder that takes no other is written as it is.

    Args:
        remedy: what to do where it cannot be written.

    Raises:
        PlainError: where it cannot be written.
    """
    from vexo.core.os_errors import errno_of
    from vexo.server.data_folder import replacing
    from vexo.server.errors import PlainError

    try:
        target = output.resolve()
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
