"""Create, update, delete: each with its request, its settling, its read back and its reverse."""

from .answers import Answer, Settled
from .operations import Write, operation_of

__all__ = ["Answer", "Settled", "Write", "operation_of"]
