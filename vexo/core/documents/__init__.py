"""What people say, as data: typed, versioned JSON that a trip and a route hold alike."""

from .base import DocumentError, Lost
from .bring_in import ALL, SENT, BringIn, fitted_bringing, lane_sentence, sentence_of_bringing
from .send_out import (
    FORMATS,
    MOST_KEYS,
    Picked,
    SendOut,
    Share,
    check,
    check_picked,
    default_fields,
    fitted,
    required_first,
    sentence,
    with_keys,
)

__all__ = [
    "ALL",
    "FORMATS",
    "MOST_KEYS",
    "SENT",
    "BringIn",
    "DocumentError",
    "Lost",
    "Picked",
    "SendOut",
    "Share",
    "check",
    "check_picked",
    "default_fields",
    "fitted",
    "fitted_bringing",
    "lane_sentence",
    "required_first",
    "sentence",
    "sentence_of_bringing",
    "with_keys",
]
