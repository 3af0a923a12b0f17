"""What the description of the API (OpenAPI) says beside what each view says of itself: the errors, all alike."""

from __future__ import annotations

from typing import Any

_PROBLEM = {
    "type": "object",
    "description": "What went wrong, as RFC 9457 has it. `detail` is a sentence for people, `code` is for programs "
    "(docs/api.md).",
    "properties": {
        "type": {"type": "string"},
        "status": {"type": "integer"},
        "title": {"type": "string"},
        "detail": {"type": "string"},
        "code": {"allOf": [{"$ref": "#/components/schemas/ErrorCodeEnum"}]},
        "field": {"type": "string", "description": "The name in the body that is not right."},
        "newer": {"description": "After 412: what is there now."},
    },
    "required": ["type", "status", "title", "detail"],
}
_SAYS = {
    "400": "The body cannot be read, or a value in it is missing or of the wrong kind.",
    "401": "Nobody is known by the cookie or the token.",
    "403": "The person's role, or the token's, does not allow it.",
    "404": "There is nothing at that address.",
    "412": "What was seen (`If-Match`, or a plan's number) is no longer the newest; `newer` is what is.",
    "413": "The body is larger than 8 MB.",
    "422": "It cannot be done as it stands, or a name in the body or the query is not known: the sentence says why.",
    "429": "Too many wrong passwords; `Retry-After` says for how many seconds to wait.",
    "503": "The machine is in trouble (its disk, its database). Nothing was lost; ask again.",
}
_GUESSED = ("/api/session", "/api/session/password", "/api/session/link")


def _errors_of(path: str, method: str, operation: dict[str, Any]) -> list[str]:
    """The statuses with which an operation may refuse."""
    anyone = {} in operation.get("security", []) or not operation.get("security")
    changes = method != "get"
    if path == "/api/health":
        return []
    errors = ["401", "422", "503"]
    if changes or not anyone:
        errors.append("403")
    if "{" in path:
        errors.append("404")
    if "requestBody" in operation:
        errors += ["400", "413"]
    if changes and path.startswith(("/api/trips/", "/api/routes/")):
        errors.append("412")
    if changes and path in _GUESSED:
        errors.append("429")
    return sorted(errors)


def describe_errors(result: dict[str, Any], **_: object) -> dict[str, Any]:
    """The description with the errors of each operation: what drf-spectacular calls when it is done."""
    schemas = result["components"]["schemas"]
    schemas["Problem"] = _PROBLEM
    # A code says what it is by its name.
    schemas["ErrorCodeEnum"].pop("description")
    content = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
    result["components"]["responses"] = {
        f"Problem{status}": {"description": says, "content": content} for status, says in _SAYS.items()
    }
    for path, operations in result["paths"].items():
        for method, operation in operations.items():
            for status in _errors_of(path, method, operation):
                reference = {"$ref": f"#/components/responses/Problem{status}"}
                operation["responses"].setdefault(status, reference)
    return result
