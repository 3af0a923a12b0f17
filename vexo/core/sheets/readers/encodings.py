"""Bytes → text: the encoding from all of the file, or as a person says; bytes that fit none are told, not lost."""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass

from charset_normalizer import from_bytes

from ...values import NOT_ASCII
from ..sheet import SheetError

_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_ONE_BYTE = ["cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "iso8859_2", "iso8859_15"]
_DOS = ["cp850", "cp437", "cp852"]
"""Code pages from before Windows, which old programs still write."""
_LETTER = r"[^\W\d_\u00aa\u00ba\u207f]"
_ODD = re.compile(
    rf"(?<={_LETTER})(?:[^\x00-\x7f\w\s\u2019\u2013\u2014\u00b7\u00ad]|[\u00aa\u00b2\u00b3\u00b9\u00ba\u207f])(?={_LETTER})"
    r"|(?<=[A-Za-z])[\u0370-\u04ff]|[\u0370-\u04ff](?=[A-Za-z])|[\ufffd\u2500-\u259f\x80-\x9f]"
)
"""What no word has in it: a sign between two letters, letters of two scripts side by side, a character that is none."""
_LOOKED_AT = 256 * 1024
"""Bytes by which an encoding is told."""
_FEW = 0.02
"""Share of characters that may be strays in an encoding that fits."""
_CLOSE = 0.02
"""How near another encoding's marks may be for both to be told."""
STRAY = re.compile("[\udc80-\udcff]")
"""A byte that fits no character of the encoding, as it stands in decoded text."""


@dataclass(frozen=True)
class Decoded:
    """A file's text, and the encoding it was read in; bytes that fit none stand in it as ``STRAY`` characters.

    ``guessed``: nothing in the file says its encoding, and another may fit as well. ``clean``: every byte fits.
    """

    text: str
    encoding: str
    guessed: bool = False
    clean: bool = False


def known_as(encoding: str) -> str:
    """What people call an encoding."""
    return encoding.replace("cp125", "Windows-125").replace("iso8859_", "ISO 8859-")


def _as_said(content: bytes, encoding: str, name: str) -> Decoded:
    try:
        codecs.lookup(encoding)
    except LookupError:
        raise SheetError(f"{encoding!r} is not an encoding. Try utf-8, cp1252, iso8859_15, cp850 or utf-16.") from None
    try:
        return Decoded(content.decode(encoding, errors="surrogateescape"), encoding)
    except (UnicodeError, LookupError, ValueError) as error:
        raise SheetError(f"{name} cannot be read as {encoding}. Choose another encoding.") from error


def _wide(content: bytes) -> str | None:
    """UTF-16 without its mark: every other byte of its plain characters is zero."""
    sample = content[:_LOOKED_AT]
    even, odd = sample[0::2].count(0), sample[1::2].count(0)
    half = max(1, len(sample) // 2)
    for encoding, zeros, others in (("utf-16-le", odd, even), ("utf-16-be", even, odd)):
        if zeros > 0.3 * half and others < 0.02 * half and len(content) % 2 == 0:
            try:
                content.decode(encoding)
            except UnicodeDecodeError:
                continue
            return encoding
    return None


def _stray_in_utf8(content: bytes) -> bool:
    """Whether the text is UTF-8 but for a few bytes: it has characters of more bytes, and hardly any that are none."""
    text = content.decode("utf-8", errors="surrogateescape")
    strays = len(STRAY.findall(text))
    others = sum(1 for c in re.findall(NOT_ASCII, text) if not "\udc80" <= c <= "\udcff")
    return others > 0 and strays <= max(1, _FEW * others)


def _one_byte(content: bytes) -> str:
    """The likeliest encoding of one byte a character, by the lines of the file that tell them apart."""
    telling = b"\n".join(line for line in content.splitlines() if any(byte > 127 for byte in line))
    sample = telling[:_LOOKED_AT]
    odd = {name: len(_ODD.findall(sample.decode(name, errors="replace"))) for name in (*_ONE_BYTE, *_DOS)}
    fitting = [name for name, count in odd.items() if count == min(odd.values())]
    likely = from_bytes(sample, cp_isolation=fitting, threshold=0.6)
    best = likely.best()
    if best is None:
        return fitting[0]
    alike = (telling.decode(name, errors="replace") for name in (best.encoding, "cp1252"))
    if "cp1252" in fitting and len(set(alike)) == 1:
        return "cp1252"
    as_good = [m for m in likely if m.chaos <= best.chaos + _CLOSE and m.coherence >= best.coherence - _CLOSE]
    return "cp1252" if any(m.encoding == "cp1252" for m in as_good) else best.encoding


def decode(content: bytes, name: str, said: str = "") -> Decoded:
    """The text of a file.

    Args:
        said: the encoding that a person chose; it is used whatever the file looks like.

    Raises:
        SheetError: where the bytes are not text, or there is no such encoding.
    """
    if said:
        return _as_said(content, said, name)
    for mark, encoding in _MARKS:
        if content.startswith(mark):
            return Decoded(
                content.decode(encoding, errors="surrogateescape" if "8" in encoding else "replace"), encoding
            )
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError:
        text = None
    if b"\x00" in content:
        wide = _wide(content)
        if wide is None:
            raise SheetError(f"{name} is not a sheet that can be read here: it holds bytes that are not text.")
        return Decoded(content.decode(wide), wide)
    if text is not None:
        return Decoded(text, "utf-8", clean=True)
    if _stray_in_utf8(content):
        return Decoded(content.decode("utf-8", errors="surrogateescape"), "utf-8")
    encoding = _one_byte(content)
    return Decoded(content.decode(encoding, errors="surrogateescape"), encoding, guessed=True)
