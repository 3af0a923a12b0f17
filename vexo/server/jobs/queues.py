"""Kinds of work have queues of their own, so that a long pass blocks no export, and a long sheet no short one."""

QUEUES = {
    "send out": "exports",
    "compare": "exports",
    "refill": "exports",
    "recognise": "reading",
    "bring in": "reading",
    "plan": "planning",
    "measure keys": "planning",
    "apply": "passes",
    "apply later": "passes",
    "take back": "exports",
    "thin": "exports",
    "watch": "exports",
    "look": "exports",
    "mail": "exports",
}
LARGE = "large"
"""The queue of sheets that take so long to be read or planned that nobody with a short one should wait for them."""
LARGE_FILE = 2 * 1024**2
"""Bytes from which a file is large: about three seconds of reading."""
LARGE_SHEET = 20_000
"""Rows above which a sheet is large: a plan of fewer is there before a person wonders where it is."""
ALL_QUEUES = (*dict.fromkeys(QUEUES.values()), LARGE)
