"""Several files as one list in parts."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from vexo.core.wording import shortened

from ..errors import PlainError
from ..journal.services import note
from .models import Upload
from .receive import finish
from .waiting import find_waiting, waits


def join(number: int, others: Sequence[int], by: str) -> Upload:
    """Say that files are one list in parts: the others continue the first, and all of it is looked at anew.

    Raises:
        PlainError: where one of them is not whole, is in on a trip, or is part of another list.
    """
    upload = finish(number, by) if not waits(number) else find_waiting(number)
    with transaction.atomic():
        upload.refresh_from_db()
        for other in others:
            whole = finish(other, by)
            taken = (
                whole.trip_id is not None or whole.discarded or whole.continues_id is not None or whole.parts.exists()
            )
            if taken or whole.pk == upload.pk or upload.trip_id is not None or upload.continues_id is not None:
                raise PlainError(
                    f"{whole.name} cannot be made a part of {upload.name}. Bring it in by itself.", "parts"
                )
            Upload.objects.filter(pk=whole.pk).update(continues=upload)
        Upload.objects.filter(pk=upload.pk).update(
            digest="", profile_json=None, belongs_to=None, recognising=None, trouble=""
        )
        upload.refresh_from_db()
        names = ", ".join(whole.name for whole in upload.whole_list)
        note(by, "joined", shortened(f"Put together as one list: {names}", 300), file=upload.name)
    return upload
