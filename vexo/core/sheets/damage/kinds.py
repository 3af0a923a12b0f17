"""What spreadsheet programs do to a text: each kind of harm as a relation between the text that was and the one that
is."""

from __future__ import annotations

import re
import unicodedata
from datetime import date, timedelta
from decimal import Decimal, InvalidOperation

import polars as pl

from ...records import Kind
from ...values import rounded_to_15
from ..sheet import UNKNOWN

ERRORS = ("#N/A", "#REF!", "#VALUE!", "#NAME?", "#DIV/0!", "#NULL!", "#NUM!", "#SPILL!", "#CALC!", "#GETTING_DATA")
ERROR = re.compile(rf"(?:{'|'.join(map(re.escape, ERRORS))}|#####+|Err:5\d\d)")
_SHORT = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_LONG = ("january", "february", "march", "april", "june", "july", "august", "september", "october", "november")
_MONTHS = {name: at for at, name in enumerate(_SHORT, 1)}
_MONTHS |= {"sept": 9}
_MONTH = "|".join([*_LONG, "december", *sorted(_MONTHS, key=len, reverse=True)])
POWER = re.compile(r"([1-9])(?:[.,](\d+))?E\+?(\d+)", re.IGNORECASE)
CUTS = (254, 255, 256, 1024, 8192, 32766, 32767)
_QUOTES = str.maketrans({"\u2018": "'", "\u2019": "'", "\u201c": '"', "\u201d": '"', "\u2013": "-", "\u2014": "-"})
_PRIVATE = {0xF100 + byte: byte for byte in range(0x80, 0xA0)}
"""Where spreadsheets put bytes that an encoding leaves out."""
_WRONG = ("cp1252", "latin-1", "mac_roman", "cp850", "cp437")
BETWEEN_SYSTEMS = 1462
"""Days between the two systems in which spreadsheets count days."""
LOOKS_LIKE_AN_ERROR = r"^\s*#|^\s*Err:5\d\d"
LOOKS_HARMED = (
    LOOKS_LIKE_AN_ERROR
    + r"|(?i)^\s*\d(?:[.,]\d+)?E\+?\d+\s*$|\d{4}-\d\d-\d\d"
    + rf"|(?i)\d[-/. ]?(?:{'|'.join(_SHORT)})|(?i)(?:{_MONTH})\.?[-/. ,]*\d"
    + r"|\d{1,2}/\d{1,2}|\d[/.]\d{1,2}[/.]\d{2}"
)
"""Cells that a spreadsheet may have made an error, a power of ten or a day of."""
TEXTS = (Kind.TEXT, Kind.REFERENCE, Kind.CHOICE)
Day = tuple[int | None, int, int | None]


def _days(text: str) -> set[Day]:
    """All days that a text can mean to a spreadsheet: year (or none), month, day (or none)."""
    plain = text.strip().lower().rstrip(".")
    days: set[Day] = set()
    named = re.fullmatch(rf"(\d{{1,4}})?[-/. ]?({_MONTH})\.?[-/. ,]*(\d{{1,4}})?(?:[-/. ,]+(\d{{2,4}}))?", plain)
    if named and (named[1] or named[3]):
        month = _MONTHS[named[2][:4] if named[2].startswith("sept") else named[2][:3]]
        numbers = [int(n) for n in (named[1], named[3], named[4]) if n]
        if len(numbers) == 1:
            days |= {(None, month, numbers[0]), (_year(numbers[0]), month, None)}
        else:
            days |= {(_year(numbers[1]), month, numbers[0]), (_year(numbers[0]), month, numbers[1])}
    parts = re.fullmatch(r"(\d{1,4})[-/. ](\d{1,4})(?:[-/. ](\d{1,4}))?(?:[ t]00:00(?::00)?)?", plain)
    if parts:
        a, b, c = (int(p) if p else None for p in parts.groups())
        assert a is not None and b is not None
        if c is None:
            days |= {(None, a, b), (None, b, a), (_year(b), a, None), (_year(a), b, None)}
        else:
            days |= {(_year(a), b, c), (_year(c), b, a), (_year(c), a, b)}
    return {(y, m, d) for y, m, d in days if 1 <= m <= 12 and (d is None or 1 <= d <= 31)}


def _year(number: int) -> int:
    return number + (2000 if number < 50 else 1900) if number < 100 else number


def day_marks(text: str) -> set[tuple[int, int | None]]:
    """Month and day of all days that a text can mean: what texts of one day share."""
    return {(month, day) for _, month, day in _days(text)}


def _same_day(text: Day, was: Day) -> bool:
    # What a text leaves open a spreadsheet fills in: the year is this one, and the day the first of a month of a year.
    if text[1] != was[1]:
        return False
    if was[2] is None:
        return was[0] == text[0] and text[2] in (1, None)
    return text[2] == was[2] and (text[0] is None or was[0] is None or text[0] == was[0])


def looks_like_a_day(text: str) -> bool:
    """Whether a spreadsheet may have written it for a day."""
    plain = text.strip()
    return bool(
        re.fullmatch(r"\d{4}-\d\d-\d\d(T00:00:00)?|\d{1,2}/\d{1,2}|\d{1,2}[/.]\d{1,2}[/.]\d{2,4}", plain)
    ) or bool(re.search(r"[a-z]{3}", plain.lower()) and re.search(r"\d", plain) and _days(plain))


def digits_of(text: str) -> str | None:
    """The text itself where it is nothing but digits."""
    return text if re.fullmatch(r"\d+", text) else None


def _rounded(digits: str) -> str | None:
    """What 15 significant digits leave of a long number."""
    if len(digits.lstrip("0")) <= 15:
        return None
    value = rounded_to_15(pl.Series([digits]))[0]
    return str(value)


def _is_power_of(text: str, was: str) -> bool:
    """Whether a text such as 1.23E+11 is what is shown of these digits."""
    exponent, digits = POWER.fullmatch(text.strip()), (digits_of(was) or "").lstrip("0")
    if not exponent or len(digits) < 2 or int(exponent[3]) != len(digits) - 1:
        return False
    shown = exponent[1] + (exponent[2] or "").rstrip("0")
    places = len(shown)
    value = Decimal(digits).scaleb(-(len(digits) - places)).quantize(Decimal(1)) if len(digits) > places else digits
    return str(value).rstrip("0") == shown.rstrip("0")


def _western(raw: bytes) -> str:
    """Bytes as Windows-1252 with the five that it leaves out, as programs read it."""
    return "".join(raw[at : at + 1].decode("cp1252", "ignore") or chr(raw[at]) for at in range(len(raw)))


def _from_western(text: str) -> bytes:
    """The reverse. Raises UnicodeEncodeError."""
    return b"".join(bytes([ord(c)]) if 0x80 <= ord(c) < 0xA0 else c.encode("cp1252") for c in text.translate(_PRIVATE))


def _broken(was: str) -> set[str]:
    """What wrong encodings make of a text."""
    if was.isascii():
        return set()
    readings = {was.encode("ascii", "replace").decode(), _western(was.encode("utf-8"))}
    for wrong in _WRONG:
        readings.add(was.encode("utf-8").decode(wrong, "replace"))
        readings.add(was.encode("utf-8").decode(wrong, "ignore"))
        try:
            readings.add(was.encode(wrong).decode("utf-8", "replace"))
            readings |= {was.encode(wrong).decode(other, "replace") for other in _WRONG if other != wrong}
        except UnicodeEncodeError:
            continue
    return readings - {was}


def _collapsed(text: str) -> str:
    return " ".join(text.replace("\u00a0", " ").replace("\u202f", " ").replace("\u200b", "").split())


def _number(text: str) -> Decimal | None:
    try:
        return Decimal(text)
    except InvalidOperation:
        return None


def _serials(was: str) -> set[str]:
    """The numbers that stand for a day in either system of dates."""
    try:
        day = date.fromisoformat(was[:10])
    except ValueError:
        return set()
    return {str((day - date(1899, 12, 30)).days), str((day - date(1904, 1, 1)).days)}


def harm(text: str, was: str, kind: Kind, length: int | None = None) -> str | None:
    """What a spreadsheet did to a text to make this one of it, or None where it did nothing of the kind.

    Args:
        kind: what the field holds.
        length: how many figures all its values have, where they are of one plain pattern.
    """
    if ERROR.fullmatch(text.strip()) and text.strip() != was:
        return "error"
    if kind in (Kind.DATE, Kind.MOMENT):
        if text.strip() in _serials(was):
            return "serial"
        shifts = (timedelta(days=BETWEEN_SYSTEMS), timedelta(days=-BETWEEN_SYSTEMS))
        days, then = _days(text), _serials(was)
        return "serial" if days and then and any(_moved(was, shift) == text.strip()[:10] for shift in shifts) else None
    if kind in (Kind.DECIMAL, Kind.WHOLE):
        if _number(text.strip()) is not None:
            return None
        return "date" if looks_like_a_day(text) and mean_one_day(text, was) else None
    if kind not in (*TEXTS, Kind.CHOICES):
        return None
    if _collapsed(text) == _collapsed(was):
        return "spaces"
    if unicodedata.normalize("NFC", text.translate(_PRIVATE)) in {
        unicodedata.normalize("NFC", one) for one in _broken(was)
    }:
        return "accents"
    if text.translate(_QUOTES) == was.translate(_QUOTES) and text != was:
        return "quotes"
    plain, digits = text.strip(), digits_of(was)
    if digits and digits != plain and (digits.lstrip("0") or "0") == plain:
        return "lost-zeros"
    if digits and (_is_power_of(plain, digits) or plain == _rounded(digits)):
        return "long-number"
    if digits and digits_of(plain) and len(digits) == length and len(plain) < length:
        return "lost-figures" if digits.startswith(plain) or digits.endswith(plain) else None
    # 12E3 is a code to a person and a number to a spreadsheet, and 1.10 is 1.1.
    if re.fullmatch(r"\d+E\d+|\d+\.\d*0", was, re.IGNORECASE) and plain != was and _number(plain) == _number(was):
        return "lost-zeros" if "." in was else "long-number"
    if looks_like_a_day(plain) and mean_one_day(plain, was):
        return "date"
    if len(text) in CUTS and was.startswith(text):
        return "cut-off"
    return None


def _moved(was: str, shift: timedelta) -> str:
    try:
        return (date.fromisoformat(was[:10]) + shift).isoformat()
    except (ValueError, OverflowError):
        return ""


def mean_one_day(text: str, was: str) -> bool:
    """Whether two different texts can mean the same day to a spreadsheet."""
    days = _days(text)
    return text != was and any(_same_day(a, b) for a in days for b in _days(was))


def forms(text: str) -> set[tuple[str, str]]:
    """Marks by which a text and what a spreadsheet makes of it can find each other."""
    plain = text.strip()
    readings = {("s", _collapsed(text).translate(_QUOTES)), *[("a", one) for one in _broken(text)], ("a", text)}
    digits = digits_of(plain)
    if digits:
        readings |= {("z", digits.lstrip("0") or "0"), ("e", str(len(digits.lstrip("0")) - 1))}
        rounded = _rounded(digits)
        readings |= {("z", rounded)} if rounded else set()
    power = POWER.fullmatch(plain)
    if power:
        readings.add(("e", power[3].lstrip("0")))
    readings |= {("d", f"{month}") for _, month, _ in _days(plain)}
    return readings


def mended(text: str) -> str | None:
    """A text whose accents were broken by reading UTF-8 as something else, put right; None where it is none."""
    if text.isascii() or UNKNOWN in text:
        return None
    try:
        western = _from_western(text).decode("utf-8")
    except UnicodeError:
        return None
    return (
        western
        if western != text and all(c.isalpha() or c.isascii() or unicodedata.category(c)[0] in "PS" for c in western)
        else None
    )
