"""Receipts of trips that were deleted."""

from __future__ import annotations

from pathlib import Path

from ..data_folder import absolute
from ..errors import PlainError
from ..journal.services import note
from ..people.models import Person
from ..people.rights import Action, require
from .models import KeptReceipt


def take_receipt(person: Person, number: int) -> tuple[str, Path]:
    """A receipt for somebody who takes it out of Vexo, which the journal says: its name, and where it is.

    Raises:
        NotAllowed, PlainError: where there is none of that number any more.
    """
    require(person, Action.TIDY)
    receipt = KeptReceipt.objects.filter(pk=number).first()
    if receipt is None or not absolute(receipt.path).is_file():
        raise PlainError(f"There is no receipt {number} of a deleted trip.", "no-receipt")
    name = f"receipt-of-trip-{receipt.trip}.xlsx"
    note(person.username, "downloaded", f"Downloaded the receipt of deleted trip {receipt.trip}", file=name)
    return name, absolute(receipt.path)
