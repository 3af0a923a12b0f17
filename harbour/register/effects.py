"""A plain log of effects: each create, update and delete as it was kept. Only tests read it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import simplejson
from django.conf import settings
from django.db import transaction


def note(alias: str, what: str, record: Any, who: str, values: Mapping[str, Any]) -> None:
    """Write an effect down once it is kept; what is rolled back leaves no line."""
    name = next(name for name, own in settings.ALIAS.items() if own == alias)
    line = {"what": what, "type": type(record).__name__, "id": str(record.pk), "who": who, "values": dict(values)}
    text = simplejson.dumps(line, use_decimal=True, ensure_ascii=False)

    def write() -> None:
        with (settings.DATA / f"effects-{name}.log").open("a", encoding="utf-8") as log:
            log.write(text + "\n")

    transaction.on_commit(write, using=alias)
