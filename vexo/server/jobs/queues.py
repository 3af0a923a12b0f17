"""Kinds of work have queues of their own, so that a long pass blocks no export."""

QUEUES = {
    "send out": "exports",
    "compare": "exports",
    "refill": "exports",
    "recognise": "reading",
    "bring in": "reading",
    "plan": "planning",
    "apply": "passes",
}
