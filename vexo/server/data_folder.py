"""Where Vexo keeps its things: the database, files, stages, the key and logs."""

from __future__ import annotations

import os
import secrets
from pathlib import Path


def data_folder() -> Path:
    """The folder chosen by VEXO_DATA, by default ``var/vexo``."""
    return Path(os.environ.get("VEXO_DATA", "var/vexo")).absolute()


def make_data_folder() -> Path:
    """The folder with all its parts; the key is made once and readable by its owner only."""
    folder = data_folder()
    for part in ("files", "stages", "logs"):
        (folder / part).mkdir(parents=True, exist_ok=True)
    key = folder / "key"
    try:
        descriptor = os.open(key, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return folder
    with os.fdopen(descriptor, "w") as file:
        file.write(secrets.token_urlsafe(48))
    return folder


def secret_key() -> str:
    """The key of this installation, from the environment or the data folder."""
    return os.environ.get("VEXO_KEY") or (make_data_folder() / "key").read_text().strip()


def absolute(relative: str) -> Path:
    """A path kept in the database as a file of this folder."""
    return data_folder() / relative
