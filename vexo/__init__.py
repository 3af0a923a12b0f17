"""Vexo carries records out of a business application into a sheet, and back in."""

import os

__version__ = "0.1.0"
# What Polars gives back is given back to the machine at once: a long reading then needs no more than a short one. It is
# read when Polars is first imported.
os.environ.setdefault("_RJEM_MALLOC_CONF", "background_thread:true,dirty_decay_ms:100,muzzy_decay_ms:0")
