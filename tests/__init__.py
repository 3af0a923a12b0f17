"""Tests of Vexo and of the register it ships with.

``VEXO_FULL=1`` draws ten times as many examples, others in each run, and tries every combination where the usual run
tries all pairs. The usual run draws the same examples each time: it says whether a change broke something.
"""

import os

from hypothesis import HealthCheck, settings

FULL = os.environ.get("VEXO_FULL") == "1"
# How long an example takes says nothing about whether it is right; speed is measured in bench/.
quiet = {"deadline": None, "suppress_health_check": list(HealthCheck)}
settings.register_profile("ci", derandomize=True, max_examples=60, **quiet)
settings.register_profile("full", max_examples=600, **quiet)
settings.register_profile("ci, whole rounds", settings.get_profile("ci"), max_examples=12)
settings.register_profile("full, whole rounds", settings.get_profile("full"), max_examples=120)
settings.load_profile("full" if FULL else "ci")
whole_rounds = settings.get_profile(f"{'full' if FULL else 'ci'}, whole rounds")
"""For tests whose one example is a sheet out and home again."""
wide_rounds = settings(whole_rounds, max_examples=whole_rounds.max_examples // 2)
"""For those of them in whose sheets each of many rows is an example of the rule by itself."""
