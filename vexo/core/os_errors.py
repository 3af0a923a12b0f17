"""What the operating system said, where a library passes it on in words alone."""

from __future__ import annotations

import errno
import re

FULL = (errno.ENOSPC, errno.EDQUOT)
FORBIDDEN = (errno.EROFS, errno.EACCES, errno.EPERM)
TOO_MANY_OPEN = (errno.EMFILE, errno.ENFILE)
_SAID = re.compile(r"\(os error (\d+)\)|\[Errno (\d+)\]")
_IN_WORDS = ("polars", "xlsxwriter")
"""Packages whose own errors hide that of the system: of a full disk Polars says that a file is out of specification."""


def errno_of(error: BaseException) -> int | None:
    """The number of the system's error (``errno``) that is behind an error; None where none is known to be."""
    if isinstance(error, OSError) and error.errno is not None:
        return error.errno
    # Polars raises OSErrors of its own, too, which have words and no number.
    if not isinstance(error, OSError) and type(error).__module__.partition(".")[0] not in _IN_WORDS:
        return None
    said = _SAID.search(str(error))
    return int(said[1] or said[2]) if said else None
