"""Telling people, and how they want to be told."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.utils import timezone

from ..errors import PlainError
from ..jobs.models import Job
from ..jobs.worker import enqueue
from ..journal.services import note
from ..people.models import Person
from .kinds import LEAST_ROLE, NoticeKind
from .models import Notice, Wish

KEPT = 500
"""Notices of a person that are kept: the oldest go."""


def tell_people(kind: NoticeKind, usernames: Iterable[str], text: str, trip: int | None = None) -> int:
    """Tell people of something, each as they want it; within the transaction of what happened. How many are told.

    Args:
        usernames: whom; somebody whom it does not concern, or who is not here any more, is told nothing.
        text: a sentence, without a value of any record: it may go by e-mail.
    """
    people = Person.objects.filter(username__in=set(usernames), is_active=True)
    concerned = [person for person in people if person.may(LEAST_ROLE[kind])]
    wishes = {wish.person_id: wish for wish in Wish.objects.filter(person__in=concerned, kind=kind)}
    notices = []
    for person in concerned:
        wish = wishes.get(person.pk, Wish(kind=kind))
        mailed = wish.mailed and bool(person.email)
        if wish.listed or mailed:
            notices.append(
                Notice(person=person, kind=kind, text=text[:400], trip=trip, listed=wish.listed, to_mail=mailed)
            )
    Notice.objects.bulk_create(notices)
    if any(notice.to_mail for notice in notices):
        ask_for_mail()
    return len(notices)


def ask_for_mail() -> None:
    """Have what is to go by e-mail sent; one job sends all."""
    if not Job.objects.filter(kind="mail", state=Job.QUEUED).exists():
        enqueue("mail", "")


def administrators() -> list[str]:
    """Who is told of what concerns the installation."""
    return [person.username for person in Person.objects.filter(is_active=True) if person.may("administrator")]


def listed(person: Person) -> list[Notice]:
    """The notices of a person's list, the newest first: as many as are kept."""
    return list(Notice.objects.filter(person=person, listed=True)[:KEPT])


def unread(person: Person) -> int:
    """How many of them the person has not seen."""
    return Notice.objects.filter(person=person, listed=True, read_at=None).count()


def mark_read(person: Person, up_to: int) -> None:
    """The person has seen the list up to a notice; those that came since stay new."""
    Notice.objects.filter(person=person, pk__lte=up_to, read_at=None).update(read_at=timezone.now())
    kept = Notice.objects.filter(person=person).values_list("pk", flat=True)[KEPT : KEPT + 1]
    if kept:
        Notice.objects.filter(person=person, pk__lte=kept[0], to_mail=False).delete()


def wishes_of(person: Person) -> list[Wish]:
    """How a person wants to be told of each kind that concerns them."""
    by_kind = {wish.kind: wish for wish in Wish.objects.filter(person=person)}
    return [by_kind.get(kind, Wish(person=person, kind=kind)) for kind in NoticeKind if person.may(LEAST_ROLE[kind])]


def set_wishes(person: Person, email: str | None, wishes: Mapping[str, Mapping[str, bool]]) -> None:
    """Say where one's e-mail goes, and how one wants to be told. What is not said stays.

    Raises:
        PlainError
    """
    known = {wish.kind for wish in wishes_of(person)}
    for kind in wishes:
        if kind not in known:
            raise PlainError(f"Unknown kind of notice {kind!r}. Use {', '.join(sorted(known))}.")
    with transaction.atomic():
        if email is not None and email != person.email:
            try:
                if email:
                    validate_email(email)
            except ValidationError:
                raise PlainError(f"{email} is not an e-mail address. Write it as name@example.org.") from None
            Person.objects.filter(pk=person.pk).update(email=email)
            person.email = email
            note(person.username, "people", f"{person.username} is told by e-mail at {email or 'no address'}")
        for kind, said in wishes.items():
            Wish.objects.update_or_create(person=person, kind=kind, defaults=dict(said))
        if not person.email and Wish.objects.filter(person=person, mailed=True, kind__in=known).exists():
            raise PlainError("Say your e-mail address, or that you are told of nothing by e-mail.")
