"""Create, update, delete: each with its request and its settling; batches, results and the ledger."""

from ..planning.verdicts import Verdict
from .create import Create
from .delete import Delete
from .results import Settled, WriteResult
from .strategies import Write, WriteStrategy
from .update import Update

__all__ = ["Settled", "Write", "WriteResult", "strategy_of"]

_STRATEGIES: dict[Verdict, WriteStrategy] = {
    Verdict.CREATE: Create(),
    Verdict.UPDATE: Update(),
    Verdict.DELETE: Delete(),
}


def strategy_of(verdict: Verdict) -> WriteStrategy:
    """The strategy behind a verdict that writes."""
    return _STRATEGIES[verdict]
