"""A result that only cannot be read just now is not told to be put back from a backup, or worked out anew."""

from __future__ import annotations

import os
import resource
import unittest
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any
from unittest.mock import patch

import polars as pl

from tests.server.services import ServiceCase


@contextmanager
def no_more_files() -> Iterator[None]:
    """While this goes on, this process can open none: it has as many as it may."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    highest = max(int(name) for name in os.listdir("/proc/self/fd"))
    kept = [os.open(os.devnull, os.O_RDONLY) for _ in range(highest)]
    resource.setrlimit(resource.RLIMIT_NOFILE, (max(kept) + 1, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
        for descriptor in kept:
            os.close(descriptor)


class NotLost(ServiceCase):
    def setUp(self) -> None:
        super().setUp()
        from vexo.server import artifacts

        self.relative = artifacts.keep_artifact(pl.DataFrame({"a": [1, 2, 3]}), "sheets", "some")

    def readings(self) -> dict[str, Callable[[], Any]]:
        """Every way to read a result."""
        from vexo.server import artifacts

        return {
            "whole": lambda: artifacts.read(self.relative),
            "columns": lambda: artifacts.read(self.relative, ["a"]),
            "pieces": lambda: list(artifacts.pieces(self.relative)),
            "rows": lambda: artifacts.read_rows(self.relative, pl.Series([2])),
            "names": lambda: artifacts.columns_of(self.relative),
        }

    @unittest.skipUnless(os.path.isdir("/proc/self/fd"), "this system does not tell what a process has open")
    def test_too_many_open_files(self) -> None:
        from vexo.server.errors import machine_trouble

        for name, read in self.readings().items():
            read()
            with self.subTest(name):
                with no_more_files():
                    try:
                        read()
                        error: Exception | None = None
                    except Exception as raised:
                        error = raised
                self.assertIn("Too many open files", machine_trouble(error or ValueError()) or repr(error))

    def test_not_allowed_to_read(self) -> None:
        from vexo.server.artifacts import ArtifactLost
        from vexo.server.errors import machine_trouble

        for raised in (PermissionError("Permission denied (os error 13): x"), PermissionError(13, "Permission denied")):
            with (
                patch("vexo.server.spared_columns.SparedColumns.of", side_effect=raised),
                self.assertRaises(PermissionError) as caught,
            ):
                self.readings()["whole"]()
            self.assertNotIsInstance(caught.exception, ArtifactLost)
            self.assertIn("cannot be written to", machine_trouble(caught.exception) or "")

    def test_the_cache_is_thinned_while_others_take_results_away(self) -> None:
        from vexo.server import artifacts
        from vexo.server.data_folder import absolute, data_folder

        names = [artifacts.write(pl.DataFrame({"a": [at]}), artifacts.named(1, f"s{at}")) for at in range(3)]
        stage = data_folder() / "stages"
        listed = [*stage.rglob("*.parquet"), stage / "taken.parquet"]
        with patch("pathlib.Path.rglob", return_value=listed):
            self.assertGreaterEqual(artifacts.evict(0), 3)
        self.assertFalse(any(absolute(name).exists() for name in names))

    def test_what_is_gone_or_damaged_is_lost(self) -> None:
        from vexo.server.artifacts import ArtifactLost
        from vexo.server.data_folder import absolute

        path = absolute(self.relative)
        content = path.read_bytes()
        for damage in (lambda: path.write_bytes(content[:20]), lambda: path.write_bytes(b""), path.unlink):
            damage()
            for name, read in self.readings().items():
                with self.subTest(name), self.assertRaises(ArtifactLost):
                    read()
