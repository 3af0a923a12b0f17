"""Text files, byte by byte."""

from __future__ import annotations

from typing import Any, NamedTuple


class Case(NamedTuple):
    """A file and what is read from it. ``found`` names only what differs from a plain comma file in UTF-8."""

    trait: str
    content: bytes
    columns: list[str]
    rows: dict[int, list[str | None]]
    findings: list[tuple[str, int | None, str | None]] = []
    found: dict[str, Any] = {}
    choices: dict[str, Any] = {}


CASES = [
    Case("plain", b"berth,rate\nA-1,2.50\n", ["berth", "rate"], {2: ["A-1", "2.50"]}),
    Case("no line end at the end", b"berth,rate\nA-1,2.50", ["berth", "rate"], {2: ["A-1", "2.50"]}),
    Case("carriage returns", b"berth,rate\r\nA-1,2\r\n", ["berth", "rate"], {2: ["A-1", "2"]}),
    Case("lone carriage returns", b"berth,rate\rA-1,2\rA-2,3\r", ["berth", "rate"], {2: ["A-1", "2"], 3: ["A-2", "3"]}),
    Case(
        "the mark of UTF-8",
        b"\xef\xbb\xbfberth,name\nA-1,Zo\xc3\xab\n",
        ["berth", "name"],
        {2: ["A-1", "Zoë"]},
        found={"encoding": "utf-8-sig"},
    ),
    Case(
        "UTF-16 with its mark",
        b"\xff\xfeb\0;\0r\0\n\0A\0;\0\xeb\0\n\0",
        ["b", "r"],
        {2: ["A", "ë"]},
        found={"encoding": "utf-16", "delimiter": ";"},
    ),
    Case(
        "UTF-16 from the other end",
        b"\xfe\xff\0b\0;\0r\0\n\0A\0;\0\xeb\0\n",
        ["b", "r"],
        {2: ["A", "ë"]},
        found={"encoding": "utf-16", "delimiter": ";"},
    ),
    Case(
        "UTF-16 without a mark",
        "berth;rate\nA-1;2\nA-2;3\n".encode("utf-16-le"),
        ["berth", "rate"],
        {2: ["A-1", "2"], 3: ["A-2", "3"]},
        found={"encoding": "utf-16-le", "delimiter": ";"},
    ),
    Case(
        "Windows, western",
        b"berth;name\nA-1;J\xfcrgen Gro\xdfmann\nA-2;Zo\xeb\n",
        ["berth", "name"],
        {2: ["A-1", "Jürgen Großmann"], 3: ["A-2", "Zoë"]},
        findings=[("encoding", 2, "B")],
        found={"encoding": "cp1252", "delimiter": ";"},
    ),
    Case(
        "Windows, too little to tell western from central",
        b"berth;state\nA-1;tr\xe8s us\xe9\nA-2;bon\n",
        ["berth", "state"],
        {2: ["A-1", "très usé"], 3: ["A-2", "bon"]},
        findings=[("encoding", 2, "B")],
        found={"encoding": "cp1252", "delimiter": ";"},
    ),
    Case(
        "Windows, central",
        b"berth;name\nA-1;\xa3ukasz \xaf\xf3\xb3\xe6\nA-2;\x8cwi\xeatos\xb3awa G\xea\x9c\nA-3;\x8cl\xb9sk \xc6ma\n",
        ["berth", "name"],
        {2: ["A-1", "Łukasz Żółć"], 3: ["A-2", "Świętosława Gęś"], 4: ["A-3", "Śląsk Ćma"]},
        findings=[("encoding", 2, "B")],
        found={"encoding": "cp1250", "delimiter": ";"},
    ),
    Case(
        "Windows, Cyrillic",
        "berth;name\nA-1;Иван Петров\nA-2;Мария Смирнова\n".encode("cp1251"),
        ["berth", "name"],
        {2: ["A-1", "Иван Петров"], 3: ["A-2", "Мария Смирнова"]},
        findings=[("encoding", 2, "B")],
        found={"encoding": "cp1251", "delimiter": ";"},
    ),
    Case(
        "an old code page, by choice",
        b"berth;name\nA-1;J\x81rgen\n",
        ["berth", "name"],
        {2: ["A-1", "Jürgen"]},
        found={"encoding": "cp850", "delimiter": ";"},
        choices={"encoding": "cp850"},
    ),
    Case(
        "its only accent after ten thousand plain rows",
        b"berth,name\n" + b"A-1,plain\n" * 9_998 + b"A-2,Zo\xeb\n",
        ["berth", "name"],
        {**{n: ["A-1", "plain"] for n in range(2, 10_000)}, 10_000: ["A-2", "Zoë"]},
        findings=[("encoding", 10000, "B")],
        found={"encoding": "cp1252"},
    ),
    Case(
        "one byte that fits no character",
        b"berth;name\nA-1;Zo\xc3\xab\nA-2;M\xfcller\nA-3;Caf\xc3\xa9\n",
        ["berth", "name"],
        {2: ["A-1", "Zoë"], 3: ["A-2", "M\ufffdller"], 4: ["A-3", "Café"]},
        [("bad-byte", 3, "B")],
        {"delimiter": ";"},
    ),
    Case(
        "one byte that fits no character, behind the mark of UTF-8",
        b"\xef\xbb\xbfberth;name\nA-1;Zo\xc3\xab\nA-2;M\xfcller\n",
        ["berth", "name"],
        {2: ["A-1", "Zoë"], 3: ["A-2", "M\ufffdller"]},
        [("bad-byte", 3, "B")],
        {"delimiter": ";", "encoding": "utf-8-sig"},
    ),
    Case(
        "characters lost before, and one now",
        b"berth;name\nA-1;Zo\xc3\xab\nA-2;M\xef\xbf\xbdller\nA-3;M\xfcller\n",
        ["berth", "name"],
        {2: ["A-1", "Zoë"], 3: ["A-2", "M\ufffdller"], 4: ["A-3", "M\ufffdller"]},
        [("bad-byte", 3, "B"), ("bad-byte", 4, "B")],
        {"delimiter": ";"},
    ),
    Case("semicolons", b"berth;rate\nA-1;2,50\n", ["berth", "rate"], {2: ["A-1", "2,50"]}, found={"delimiter": ";"}),
    Case(
        "tabs",
        b"berth\trate\nA-1\t2,50\n",
        ["berth", "rate"],
        {2: ["A-1", "2,50"]},
        found={"delimiter": "\t", "format": "tsv"},
    ),
    Case("bars", b"berth|rate\nA-1|2,50\n", ["berth", "rate"], {2: ["A-1", "2,50"]}, found={"delimiter": "|"}),
    Case(
        "carets",
        b"berth^rate\nA-1^2\nA-2^3\n",
        ["berth", "rate"],
        {2: ["A-1", "2"], 3: ["A-2", "3"]},
        found={"delimiter": "^"},
    ),
    Case(
        "a first line that says the delimiter",
        b"sep=|\r\nberth|rate\r\nA-1|2\r\n",
        ["berth", "rate"],
        {2: ["A-1", "2"]},
        found={"delimiter": "|"},
    ),
    Case(
        "a delimiter by choice",
        b"berth:rate\nA-1:2,5\n",
        ["berth", "rate"],
        {2: ["A-1", "2,5"]},
        found={"delimiter": ":"},
        choices={"delimiter": ":"},
    ),
    Case("one column", b"berth\nA-1\nA-2\n", ["berth"], {2: ["A-1"], 3: ["A-2"]}),
    Case(
        "tabs inside cells",
        b'berth,note\nA-1,"a\tb"\nA-2,"c\td"\n',
        ["berth", "note"],
        {2: ["A-1", "a\tb"], 3: ["A-2", "c\td"]},
    ),
    Case(
        "line ends inside cells",
        b'berth,note\nA-1,"two\nlines"\nA-2,x\n',
        ["berth", "note"],
        {2: ["A-1", "two\nlines"], 3: ["A-2", "x"]},
    ),
    Case(
        "quotation marks doubled, and for inches",
        b'berth,note\nA-1,5" pipe\nA-2,"a ""quoted"" word"\n',
        ["berth", "note"],
        {2: ["A-1", '5" pipe'], 3: ["A-2", 'a "quoted" word']},
    ),
    Case(
        "a quotation mark that never closes",
        b'berth,note\nA-1,"never closed\nA-2,plain\nA-3,"closed"\nA-4,last\n',
        ["berth", "note"],
        {2: ["A-1", '"never closed'], 3: ["A-2", "plain"], 4: ["A-3", "closed"], 5: ["A-4", "last"]},
        [("quote", 2, None)],
    ),
    Case(
        "rows of unequal length",
        b"berth,rate,name\nA-1,2\nA-2,3,x,extra\nA-3,4,y\n",
        ["berth", "rate", "name", ""],
        {2: ["A-1", "2", None, None], 3: ["A-2", "3", "x", "extra"], 4: ["A-3", "4", "y", None]},
        [("ragged", 2, None), ("ragged", 3, None), ("no-name", 1, "D")],
    ),
    Case(
        "titles above the header",
        b"Berths of the north,,\nMade on 2026-11-01,,\n,,\nberth,rate,name\nA-1,2,x\n",
        ["berth", "rate", "name"],
        {5: ["A-1", "2", "x"]},
        [("title-rows", 1, None)],
        {"header_row": 4},
    ),
    Case(
        "a header of two rows",
        b"Berth,,Rates,\nHarbour,No,Summer,Winter\nNORTH,A-1,2,3\nNORTH,A-2,3,4\n",
        ["Berth Harbour", "Berth No", "Rates Summer", "Rates Winter"],
        {3: ["NORTH", "A-1", "2", "3"], 4: ["NORTH", "A-2", "3", "4"]},
        [("two-header-rows", 1, None)],
        {"header_row": 2},
    ),
    Case(
        "no header",
        b"A-1,2.5,2026-01-01\nA-2,3.5,2026-01-02\n",
        ["", "", ""],
        {1: ["A-1", "2.5", "2026-01-01"], 2: ["A-2", "3.5", "2026-01-02"]},
        [("no-header", 1, None)],
        {"header_row": 0},
    ),
    Case(
        "a header in a row by choice",
        b"berth,rate\nx,y\nA-1,2\n",
        ["x", "y"],
        {3: ["A-1", "2"]},
        found={"header_row": 2},
        choices={"header": 2},
    ),
    Case(
        "no header by choice",
        b"north,good\nsouth,fair\n",
        ["", ""],
        {1: ["north", "good"], 2: ["south", "fair"]},
        found={"header_row": 0},
        choices={"header": 0},
    ),
    Case("years for names", b"berth,2024,2025\nA-1,2,3\n", ["berth", "2024", "2025"], {2: ["A-1", "2", "3"]}),
    Case(
        "a column without a name",
        b"berth,,name\nA-1,2,x\nA-2,,y\n",
        ["berth", "", "name"],
        {2: ["A-1", "2", "x"], 3: ["A-2", None, "y"]},
        [("no-name", 1, "B")],
    ),
    Case(
        "one name twice",
        b"berth,rate,rate\nA-1,2,3\n",
        ["berth", "rate", "rate"],
        {2: ["A-1", "2", "3"]},
        [("same-name", 1, "rate")],
    ),
    Case("an empty tail", b"berth,rate\nA-1,2\n,\n,\n", ["berth", "rate"], {2: ["A-1", "2"]}),
    Case("blank rows between", b"berth,rate\nA-1,2\n,\nA-2,3\n", ["berth", "rate"], {2: ["A-1", "2"], 4: ["A-2", "3"]}),
    Case(
        "a total at the end",
        b"berth,rate\nA-1,2\nA-2,3\nTotal,5\n",
        ["berth", "rate"],
        {2: ["A-1", "2"], 3: ["A-2", "3"]},
        [("total-row", 4, None)],
    ),
    Case(
        "three hundred columns",
        b",".join(b"c%d" % n for n in range(300)) + b"\n" + b",".join(b"v%d" % n for n in range(300)) + b"\n",
        [f"c{n}" for n in range(300)],
        {2: [f"v{n}" for n in range(300)]},
    ),
    Case(
        "spaces of both kinds stay",
        "berth,rate\n\u00a0A-1 , 2\n".encode(),
        ["berth", "rate"],
        {2: ["\u00a0A-1 ", " 2"]},
    ),
    Case("figures of another script", "berth,rate\nA-1,１２０\n".encode(), ["berth", "rate"], {2: ["A-1", "１２０"]}),
    Case(
        "zeros in front and long numbers",
        b"code,n\n0042,12345678901234567890\n",
        ["code", "n"],
        {2: ["0042", "12345678901234567890"]},
    ),
]
