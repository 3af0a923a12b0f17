"""What trips look like over HTTP: the facts, and what is said of them."""

from __future__ import annotations

from typing import Any

from rest_framework import serializers

from ..asked import Asked
from ..serializing import serializer_for
from .facts.pages import TripDetail, TripSummary

TripSummarySerializer = serializer_for(TripSummary)
TripDetailSerializer = serializer_for(TripDetail)


class TripTitleSerializer(Asked):
    title = serializers.CharField(max_length=160)


class LinkSerializer(serializers.Serializer[Any]):
    link = serializers.CharField(allow_null=True)


class CarriedSerializer(serializers.Serializer[Any]):
    day = serializers.DateField()
    carried = serializers.IntegerField()
    refused = serializers.IntegerField()
