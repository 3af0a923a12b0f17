"""Both documents of a trip, as they are said and told over HTTP."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from rest_framework import serializers

from vexo.core.conditions import LONGEST
from vexo.core.documents import FORMATS, MOST_KEYS, Picked, SendOut, Share

from ..asked import Asked

MOST_FIELDS = 1000
"""Names that a list of a document may have: more fields than any record type has."""
_TEXT = serializers.CharField


def names(most: int = MOST_FIELDS, **options: Any) -> serializers.ListField:
    """A list of names."""
    return serializers.ListField(child=_TEXT(max_length=200), max_length=most, **options)


class PickedSerializer(Asked):
    """Records by hand: the fields of a key, and the key of each record in the order wanted."""

    key = names(8)
    values = serializers.ListField(child=serializers.ListField(child=_TEXT(max_length=500)), max_length=MOST_KEYS)


class GroupSerializer(Asked):
    """A named group of values that go on one sheet."""

    name = _TEXT(max_length=120)
    values = serializers.ListField(child=_TEXT(max_length=500), max_length=10_000)


class ShareSerializer(Asked):
    """One sheet for each value of a field, or for each group of values."""

    by = _TEXT(max_length=200)
    groups = GroupSerializer(many=True, required=False, default=list)


class ChoosingSerializer(Asked):
    """Which records, and what of them. ``order``: fields, with a minus in front where the highest come first. Records
    that are ``picked`` are found by their keys, and not by a condition."""

    not_with = {"picked": "condition"}

    record_type = _TEXT(max_length=120)
    chosen = names(required=False, default=list)
    condition = _TEXT(required=False, allow_blank=True, default="", max_length=LONGEST)
    order = names(20, required=False, default=list)
    picked = PickedSerializer(required=False, allow_null=True, default=None)


class DocumentSerializer(ChoosingSerializer):
    """All that is said of what goes out; a sheet with ``headers_only`` has no records."""

    not_with = {**ChoosingSerializer.not_with, "condition": "headers_only", "order": "headers_only"}

    share = ShareSerializer(required=False, allow_null=True, default=None)
    format = serializers.ChoiceField(choices=list(FORMATS), default="xlsx")
    headers_only = serializers.BooleanField(required=False, default=False)
    help = serializers.BooleanField(required=False, default=False)


def document_of(values: Mapping[str, Any]) -> SendOut:
    """The document that a request says."""
    picked, share = values.get("picked"), values.get("share")
    return SendOut(
        record_type=values["record_type"],
        fields=tuple(values.get("chosen", ())),
        condition=values.get("condition", ""),
        order=tuple(values.get("order", ())),
        picked=Picked(tuple(picked["key"]), tuple(map(tuple, picked["values"]))) if picked else None,
        share=Share(share["by"], tuple((g["name"], tuple(g["values"])) for g in share["groups"])) if share else None,
        format=values.get("format", "xlsx"),
        headers_only=values.get("headers_only", False),
        help=values.get("help", False),
    )


def document_json(document: SendOut) -> dict[str, Any]:
    """A document as ``DocumentSerializer`` takes it."""
    picked, share = document.picked, document.share
    return {
        "record_type": document.record_type,
        "chosen": list(document.fields),
        "condition": document.condition,
        "order": list(document.order),
        "picked": {"key": list(picked.key), "values": [list(v) for v in picked.values]} if picked else None,
        "share": {"by": share.field, "groups": [{"name": n, "values": list(v)} for n, v in share.groups]}
        if share
        else None,
        "format": document.format,
        "headers_only": document.headers_only,
        "help": document.help,
    }
