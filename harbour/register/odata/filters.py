"""``$filter`` → a query. odata-query reads the text; its lexer and meanings are corrected here."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, datetime
from decimal import Decimal, InvalidOperation
from typing import Any

from django.db.models import F, Q, TextField, Value, lookups
from django.db.models.functions import Coalesce, Lower, Upper
from odata_query import ast
from odata_query.exceptions import ODataException
from odata_query.grammar import ODataLexer, ODataParser

from ..models import Record
from ..rules import Refusal
from .properties import Property, properties

_LONGEST = 60_000
_FLIP = {"Lt": "Gt", "Gt": "Lt", "LtE": "GtE", "GtE": "LtE"}
_FOLDS = {"tolower": Lower, "toupper": Upper}
_SEARCHES = {"contains": lookups.Contains, "startswith": lookups.StartsWith, "endswith": lookups.EndsWith}
_LOOKUPS = {"Lt": "lt", "LtE": "lte", "Gt": "gt", "GtE": "gte"}


class _Lexer(ODataLexer):
    """Names may begin with a keyword, ``not(`` needs no space."""

    tokens = ODataLexer.tokens
    ANY = r"any(?=\s*\()"
    ALL = r"all(?=\s*\()"
    NOT = r"not(?=[\s(])\s*"
    BOOLEAN = r"(?:true|false)\b(?!\s*[/(])"
    NULL = r"null\b(?!\s*[/(])"


def _tokens(text: str) -> Iterator[Any]:
    """Tokens, with the comma that the parser wants in a list of one."""
    inside: list[Any] | None = None
    previous = None
    for token in _Lexer().tokenize(text):
        if token.type == "(" and previous is not None and previous.type == "IN":
            inside = []
        elif inside is not None:
            if token.type == ")":
                if len([t for t in inside if t.type != "WS"]) == 1:
                    comma = type(token)()
                    comma.type, comma.value, comma.lineno, comma.index = ",", ",", token.lineno, token.index
                    yield comma
                inside = None
            else:
                inside.append(token)
        previous = token
        yield token


def _folded(fold: Any, column: str) -> Any:
    """A text column in one case; SQLite's own search would drop empty fields from a negation."""
    return Coalesce(fold(F(column)) if fold else F(column), Value(""), output_field=TextField())


def _bad(message: str) -> Refusal:
    return Refusal(message, "bad-filter", None, 400)


def _reference(model: type[Record], node: Any) -> tuple[type[Record], str]:
    """The type that a path of navigation properties leads to, and its path for queries."""
    before = ""
    if isinstance(node, ast.Attribute):
        model, before = _reference(model, node.owner)
        node, before = ast.Identifier(node.attr), f"{before}__"
    for prop in properties(model).values():
        if isinstance(node, ast.Identifier) and prop.target and prop.navigation == node.name:
            return prop.target, f"{before}{prop.name}"
    raise _bad("a property name was expected")


def resolve(model: type[Record], node: Any) -> tuple[Property, str]:
    """The property a path names, and its column path for queries."""
    if isinstance(node, ast.Identifier):
        prop = properties(model).get(node.name)
        if not prop:
            raise _bad(f"{model.__name__} has no property {node.name!r}")
        return prop, prop.column
    if isinstance(node, ast.Attribute):
        target, path = _reference(model, node.owner)
        inner, column = resolve(target, ast.Identifier(node.attr))
        return inner, f"{path}__{column}"
    raise _bad("a property name was expected")


def _literal(prop: Property, node: Any) -> Any:
    text = getattr(node, "val", None)
    try:
        match prop.edm, node:
            case _, ast.Null():
                return None
            case "Edm.Decimal", ast.Integer() | ast.Float():
                return Decimal(str(text))
            case "Edm.Int64", ast.Integer():
                return int(str(text))
            case "Edm.Int64", ast.Float():
                return Decimal(str(text))
            case "Edm.Boolean", ast.Boolean():
                return node.py_val
            case "Edm.String", ast.String():
                return text
            case "Edm.Date", ast.Date():
                return date.fromisoformat(str(text))
            case "Edm.DateTimeOffset", ast.DateTime():
                return datetime.fromisoformat(str(text).upper())
    except (ValueError, InvalidOperation):
        pass
    raise _bad(f"{prop.name!r} cannot be compared with {text!r}")


class _Meaning:
    """The tree of a filter as one Q."""

    def __init__(self, model: type[Record]) -> None:
        self.model = model

    def visit(self, node: Any) -> Q:
        match node:
            case ast.BoolOp():
                return self.chain(node)
            case ast.UnaryOp(op=ast.Not()):
                return ~self.visit(node.operand)
            case ast.Compare():
                return self.compare(node)
            case ast.Call():
                return self.call(node)
            case ast.CollectionLambda():
                return self.any(node)
            case ast.Identifier() | ast.Attribute():
                prop, column = resolve(self.model, node)
                if prop.edm == "Edm.Boolean":
                    return Q(**{column: True})
        raise _bad("that expression is not understood here")

    def chain(self, node: ast.BoolOp) -> Q:
        """Long chains lean to the left; walked without recursion."""
        kind, parts = type(node.op), []
        current: Any = node
        while isinstance(current, ast.BoolOp) and isinstance(current.op, kind):
            parts.append(current.right)
            current = current.left
        parts.append(current)
        if len(parts) > 500:
            raise _bad("more than 500 conditions in a row")
        joined = Q(_connector=Q.OR if kind is ast.Or else Q.AND)
        for part in reversed(parts):
            joined.add(self.visit(part), joined.connector)
        return joined

    def compare(self, node: ast.Compare) -> Q:
        comparator = type(node.comparator).__name__
        left, right = node.left, node.right
        if not isinstance(left, (ast.Identifier, ast.Attribute, ast.Call)):
            left, right, comparator = right, left, _FLIP.get(comparator, comparator)
        fold = _FOLDS.get(left.func.name) if isinstance(left, ast.Call) and len(left.args) == 1 else None
        prop, column = resolve(self.model, left.args[0] if fold else left)
        if comparator == "In":
            if not isinstance(right, ast.List):
                raise _bad("'in' needs a list")
            return Q(**{f"{column}__in": [_literal(prop, item) for item in right.val]})
        value = _literal(prop, right)
        if comparator in _LOOKUPS:
            return Q(**{f"{column}__{_LOOKUPS[comparator]}": value}) if value is not None else Q(pk__in=[])
        equal = Q(lookups.Exact(_folded(fold, column), value)) if fold else self.equal(prop, column, value)
        return ~equal if comparator == "NotEq" else equal

    def equal(self, prop: Property, column: str, value: Any) -> Q:
        if value is None:
            empty = Q(**{f"{column}__isnull": True})
            return empty | Q(**{column: ""}) if prop.edm == "Edm.String" and not prop.target else empty
        return Q(**{column: value})

    def call(self, node: ast.Call) -> Q:
        name = node.func.name
        if name == "matchesPattern":
            return self.matches(node)
        if name not in ("contains", "startswith", "endswith") or not isinstance(node.args[1], ast.String):
            raise _bad(f"the function {name!r} is not understood here")
        subject, fold = node.args[0], None
        if isinstance(subject, ast.Call):
            subject, fold = subject.args[0], _FOLDS.get(subject.func.name)
        prop, column = resolve(self.model, subject)
        if prop.edm != "Edm.String":
            raise _bad(f"{name!r} needs a text, which {prop.name!r} is not")
        return Q(_SEARCHES[name](_folded(fold, column), node.args[1].val))

    def matches(self, node: ast.Call) -> Q:
        prop, column = resolve(self.model, node.args[0])
        pattern = node.args[1].val if len(node.args) == 2 and isinstance(node.args[1], ast.String) else None
        if prop.edm != "Edm.String" or pattern is None:
            raise _bad(f"'matchesPattern' needs a text and a pattern, {prop.name!r} and {pattern!r} are none")
        try:
            re.compile(pattern)
        except re.error:
            raise _bad(f"{pattern!r} is not a pattern") from None
        return Q(lookups.Regex(_folded(None, column), pattern))

    def any(self, node: ast.CollectionLambda) -> Q:
        prop, column = resolve(self.model, node.owner)
        if not prop.many or not isinstance(node.operator, ast.Any):
            raise _bad("'any' needs a property with several values")
        if node.lambda_ is None:
            return ~Q(**{column: ""})
        inner = node.lambda_.expression
        if (
            isinstance(inner, ast.Compare)
            and isinstance(inner.comparator, ast.Eq)
            and isinstance(inner.right, ast.String)
        ):
            return Q(**{f"{column}__contains": f"|{inner.right.val}|"})
        raise _bad("inside 'any' only: name eq 'value'")


def _below(model: type[Record], alias: str, above: Any) -> list[Any]:
    """Keys of all records below one in the type's tree, not itself."""
    found: list[Any] = []
    layer = [above]
    while layer:
        rows = model._default_manager.using(alias).filter(**{f"{model.tree}__in": layer})
        layer = [key for key in rows.values_list("pk", flat=True) if key not in set(found)]
        found += layer
    return [key for key in found if key != above]


def _without_trees(model: type[Record], alias: str, text: str) -> str:
    """The text with each question for a tree as the list of keys that is its answer; odata-query knows no trees."""

    def listed(match: re.Match[str]) -> str:
        if not match["tree"]:
            return match[0]
        arguments = dict(part.partition("=")[::2] for part in match["tree"].split(","))
        key_name = model._meta.pk.name if model._meta.pk else ""
        nodes = (f"$root/{model.entity_set}", f"'{model.tree}'", key_name)
        if not model.tree or tuple(arguments.get(n) for n in ("HierarchyNodes", "HierarchyQualifier", "Node")) != nodes:
            raise _bad(f"{model.__name__} makes no such tree")
        if not arguments.get("Ancestor", "").isdigit():
            raise _bad("the ancestor is the key of a record")
        return f"{key_name} in ({','.join(map(str, _below(model, alias, int(arguments['Ancestor'])))) or '-1'})"

    return re.sub(r"'(?:[^']|'')*'|Aggregation\.isdescendant\((?P<tree>[^()]*)\)", listed, text)


def read_filter(model: type[Record], text: str, alias: str) -> Q:
    """The condition as a query.

    Raises:
        Refusal: with status 400 where the text is not a condition on this type.
    """
    if len(text) > _LONGEST:
        raise _bad("the condition is too long")
    try:
        tree = ODataParser().parse(_tokens(_without_trees(model, alias, text)))
    except ODataException as error:
        raise _bad(str(error)) from error
    if tree is None:
        raise _bad("the condition is empty")
    return _Meaning(model).visit(tree)
