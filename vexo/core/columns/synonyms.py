"""Words that people use for the same thing in headers, and how like two names are."""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

from rapidfuzz import fuzz

_SAME = (
    ("number", "no", "nr", "num", "ref", "reference", "code", "id"),
    ("email", "mail", "e-mail", "emailaddress"),
    ("phone", "tel", "telephone", "mobile", "cell", "phoneno", "contact"),
    ("first", "given", "fore", "christian", "firstname", "forename", "givenname"),
    ("last", "family", "sur", "lastname", "surname", "familyname"),
    ("date", "day", "on"),
    ("start", "from", "begin", "begins", "since"),
    ("end", "until", "to", "till", "expiry", "expires", "ends"),
    ("amount", "sum", "total", "value"),
    ("rate", "price", "tariff", "fee"),
    ("note", "notes", "remark", "remarks", "comment", "comments", "memo"),
    ("length", "len"),
    ("owner", "holder", "proprietor"),
    ("status", "state"),
    ("quantity", "qty", "count"),
    ("joined", "member", "registered", "enrolled"),
)
_GROUP = {word: words[0] for words in _SAME for word in words}
_FILLERS = {"the", "of", "a", "an", "and", "in", "by", "name"}


def _words(text: str) -> list[str]:
    plain = unicodedata.normalize("NFKD", text)
    plain = "".join(c for c in plain if not unicodedata.combining(c))
    plain = re.sub(r"\([^)]*\)|\[[^\]]*\]", " ", plain)
    plain = re.sub(r"([a-z])([A-Z])", r"\1 \2", plain).lower().replace("e-mail", "email")
    return [word for word in re.split(r"[^a-z0-9]+", plain) if word]


@lru_cache(maxsize=10_000)
def sense(text: str) -> frozenset[str]:
    """What a name says, however it is put: its words, each as the first of those that mean the same; units in brackets
    and small words are left out, unless nothing else is there."""
    words = _words(text)
    telling = [word for word in words if word not in _FILLERS and len(word) > 1] or words
    return frozenset(_GROUP.get(word, word) for word in telling)


def alike(header: str, name: str) -> float:
    """How like two names are, 0 to 100: by what they say, else by their letters."""
    header_sense, other = sense(header), sense(name)
    if not header_sense or not other:
        return 0.0
    shared = len(header_sense & other) / len(header_sense | other)
    letters = fuzz.token_sort_ratio(" ".join(_words(header)), " ".join(_words(name)))
    return max(95 * shared if shared < 1 else 100.0, letters * 0.9)
