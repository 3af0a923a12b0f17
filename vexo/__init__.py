"""Vexo carries records out of a business application into a sheet, and back in."""

import os

__version__ = "0.1.0"
# Polars' streaming engine takes longer to begin than most of what is asked of it here takes in memory; whoever asks for
# something long names it. Both are read when Polars is first imported.
os.environ.setdefault("POLARS_ENGINE_AFFINITY", "in-memory")
# What Polars gives back is given back to the machine at once: a long reading then needs no more than a short one.
os.environ.setdefault("_RJEM_MALLOC_CONF", "background_thread:true,dirty_decay_ms:100,muzzy_decay_ms:0")
