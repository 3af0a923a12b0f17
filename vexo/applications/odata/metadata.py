"""``$metadata`` → catalogue. Source: OData CSDL XML 4.01, the vocabularies Core, Validation, Capabilities and
Repeatability, and for what these have no words for ``Sheets.V1`` (docs/architecture.md)."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from functools import lru_cache
from xml.etree import ElementTree as ET

from vexo.core.records import Catalogue, Choice, Field, Kind, Promises, RecordType

from ..base import ApplicationError

_EDM = "{http://docs.oasis-open.org/odata/ns/edm}"
_KINDS = {
    "Edm.String": Kind.TEXT,
    "Edm.Guid": Kind.TEXT,
    "Edm.Decimal": Kind.DECIMAL,
    "Edm.Double": Kind.DECIMAL,
    "Edm.Single": Kind.DECIMAL,
    "Edm.Boolean": Kind.YES_NO,
    "Edm.Date": Kind.DATE,
    "Edm.DateTimeOffset": Kind.MOMENT,
    **{f"Edm.{name}": Kind.WHOLE for name in ("Byte", "SByte", "Int16", "Int32", "Int64")},
}


def _term(element: ET.Element, term: str) -> ET.Element | None:
    for annotation in element.findall(f"{_EDM}Annotation"):
        if annotation.get("Term") == f"Org.OData.{term}":
            return annotation
    return None


def _own(element: ET.Element, term: str) -> ET.Element | None:
    return next((a for a in element.findall(f"{_EDM}Annotation") if a.get("Term") == f"Sheets.V1.{term}"), None)


def _also(element: ET.Element) -> tuple[str, ...]:
    names_element = _own(element, "AlsoCalled")
    return () if names_element is None else tuple(one.text or "" for one in names_element.iter(f"{_EDM}String"))


def _warning(element: ET.Element) -> str:
    warning = _own(element, "Warning")
    return "" if warning is None else warning.get("String", "").strip()


def _long_form(element: ET.Element) -> tuple[str, int] | None:
    form_element = _own(element, "LongForm")
    parts = {} if form_element is None else {v.get("Property"): v for v in form_element.iter(f"{_EDM}PropertyValue")}
    if "Letters" not in parts or not parts.get("Figures", ET.Element("")).get("Int", "").isdecimal():
        return None
    return parts["Letters"].get("String", ""), int(parts["Figures"].get("Int", "0"))


def _string(element: ET.Element, term: str) -> str:
    annotation = _term(element, term)
    return "" if annotation is None else annotation.get("String", "")


def _yes(element: ET.Element, term: str) -> bool:
    annotation = _term(element, term)
    return annotation is not None and annotation.get("Bool", "true") == "true"


_READING = b"2:"
"""Raised whenever a description is read otherwise, which makes the catalogue another one."""


def _number(element: ET.Element, name: str) -> int | None:
    text = element.get(name, "")
    return int(text) if text.isdigit() else None


def _choices(element: ET.Element) -> tuple[Choice, ...]:
    allowed = _term(element, "Validation.V1.AllowedValues")
    if allowed is None:
        return ()
    choices = []
    for record in allowed.iter(f"{_EDM}Record"):
        values = {v.get("Property"): v.get("String", "") for v in record.findall(f"{_EDM}PropertyValue")}
        if "Value" in values:
            choices.append(Choice(values["Value"], _string(record, "Core.V1.Description") or values["Value"]))
    return tuple(choices)


def _field(element: ET.Element, links: dict[str, tuple[str, str]], identifier: str) -> Field | None:
    name, edm = element.get("Name", ""), element.get("Type", "")
    many = edm.startswith("Collection(")
    edm = edm.removeprefix("Collection(").removesuffix(")")
    kind = _KINDS.get(edm)
    if kind is None or (many and kind != Kind.TEXT):
        return None
    choices = _choices(element)
    navigation, target = links.get(name, (None, None))
    if many:
        kind = Kind.CHOICES
    elif target:
        kind = Kind.REFERENCE
    elif name == identifier:
        kind = Kind.TEXT
    elif choices and kind == Kind.TEXT:
        kind = Kind.CHOICE
    has_default = _yes(element, "Core.V1.ComputedDefaultValue")
    computed = _yes(element, "Core.V1.Computed") or (_yes(element, "Core.V1.Immutable") and name == identifier)
    return Field(
        name=name,
        label=_string(element, "Core.V1.Description") or name.replace("_", " ").capitalize(),
        kind=kind,
        help=_string(element, "Core.V1.LongDescription"),
        required=element.get("Nullable") == "false" and not many and not computed,
        read_only=computed,
        has_default=has_default,
        max_length=_number(element, "MaxLength") if edm == "Edm.String" else None,
        precision=_number(element, "Precision") if kind == Kind.DECIMAL else None,
        # "variable" and "floating" name no number; and services that name none often send decimals all the same.
        scale=_number(element, "Scale") if kind == Kind.DECIMAL else None,
        choices=choices,
        target=target,
        navigation=navigation,
        quoted=edm in ("Edm.String",),
        create_only=_yes(element, "Core.V1.Immutable") and name != identifier and not computed,
        also=_also(element),
        long_form=_long_form(element) if kind == Kind.TEXT else None,
        warning=_warning(element),
    )


def _links(entity: ET.Element) -> dict[str, tuple[str, str]]:
    """Property → (navigation property, type it leads to), where the standard says that they belong together."""
    links = {}
    for navigation in entity.findall(f"{_EDM}NavigationProperty"):
        constraint = navigation.find(f"{_EDM}ReferentialConstraint")
        if constraint is not None:
            target = navigation.get("Type", "").rpartition(".")[2]
            links[constraint.get("Property", "")] = (navigation.get("Name", ""), target)
    return links


def _alternate_keys(entity_set: ET.Element) -> tuple[tuple[str, ...], ...]:
    annotation = _term(entity_set, "Core.V1.AlternateKeys")
    if annotation is None:
        return ()
    keys = []
    for value in annotation.iter(f"{_EDM}PropertyValue"):
        if value.get("Property") == "Key":
            names = [v.get("PropertyPath", "") for v in value.iter(f"{_EDM}PropertyValue") if v.get("PropertyPath")]
            keys.append(tuple(names))
    return tuple(keys)


def _constraints(entity: ET.Element) -> list[list[tuple[str, str | None]]]:
    """What the type says of its properties: of each constraint the pairs of property and value (None is empty), one of
    which holds; those that say anything else are passed over."""
    constraints = []
    for annotation in entity.findall(f"{_EDM}Annotation"):
        either = annotation.find(f".//{_EDM}PropertyValue[@Property='Condition']/{_EDM}Or")
        if annotation.get("Term") != "Org.OData.Validation.V1.Constraint" or either is None:
            continue
        pairs: list[tuple[str, str | None]] = []
        for equal in either:
            path, text = equal.find(f"{_EDM}Path"), equal.find(f"{_EDM}String")
            plain = equal.tag == f"{_EDM}Eq" and path is not None and path.text
            if plain and path is not None and (text is not None or equal.find(f"{_EDM}Null") is not None):
                pairs.append((path.text or "", text.text if text is not None else None))
        if len(pairs) == len(either) == 2:
            constraints.append(pairs)
    return constraints


def _trees(entity: ET.Element, links: dict[str, tuple[str, str]]) -> set[str]:
    """The references that make a tree of the type and by whose name the tree is asked for."""
    references = set()
    for annotation in entity.findall(f"{_EDM}Annotation"):
        if annotation.get("Term") == "Org.OData.Aggregation.V1.RecursiveHierarchy":
            parent = annotation.find(f".//{_EDM}PropertyValue[@Property='ParentNavigationProperty']")
            way = "" if parent is None else parent.get("NavigationPropertyPath", "")
            references |= {
                name for name, (nav, _) in links.items() if nav == way and name == annotation.get("Qualifier")
            }
    return references


def _adding(container: ET.Element, term: str) -> str:
    """The entity set in which something is added, a plain name; empty where there is none."""
    annotation = _own(container, term)
    name = "" if annotation is None else annotation.get("String", "")
    return name if name.isidentifier() else ""


def _promises(container: ET.Element) -> Promises:
    support = _term(container, "Capabilities.V1.BatchSupport")
    batches = support is not None
    return Promises(
        atomic_batch=1000 if batches else 0,
        batch=200 if batches else 1,
        repeatable=_yes(container, "Repeatability.V1.Supported"),
        sums=_term(container, "Aggregation.V1.ApplySupported") is not None,
        fields_at=_adding(container, "AddedFields"),
        choices_at=_adding(container, "AddedChoices"),
    )


@lru_cache(maxsize=50)
def read_metadata(content: bytes, address: str) -> Catalogue:
    """The catalogue of a service.

    Raises:
        ApplicationError: where the content is not CSDL that can be understood.
    """
    wrong = ApplicationError(f"{address} does not describe itself as an OData service. Check the address.")
    if b"<!DOCTYPE" in content[:2048] or b"<!ENTITY" in content[:2048]:
        raise wrong
    try:
        root = ET.fromstring(content)  # noqa: S314 - entities were refused above
    except ET.ParseError:
        raise wrong from None
    entities = {e.get("Name", ""): e for e in root.iter(f"{_EDM}EntityType")}
    container = next(root.iter(f"{_EDM}EntityContainer"), None)
    if container is None:
        raise wrong
    types, unread = [], []
    for entity_set in container.findall(f"{_EDM}EntitySet"):
        entity = entities.get(entity_set.get("EntityType", "").rpartition(".")[2])
        refs = [] if entity is None else [r.get("Name", "") for r in entity.iter(f"{_EDM}PropertyRef")]
        if entity is None or len(refs) != 1:
            unread.append(_string(entity_set, "Core.V1.Description") or entity_set.get("Name", ""))
            continue
        links = _links(entity)
        rules, trees = _constraints(entity), _trees(entity, links)
        kinds = {a: (b, value) for (a, none), (b, value) in rules if none is None and value is not None}
        properties = entity.findall(f"{_EDM}Property")
        read = [(e, _field(e, links, refs[0])) for e in properties]
        fields = tuple(replace(f, tree=f.name in trees, only_for=kinds.get(f.name)) for _, f in read if f is not None)
        name, source = entity.get("Name", ""), entity_set.get("Name", "")
        types.append(
            RecordType(
                name=name,
                label=_string(entity, "Core.V1.Description") or name,
                plural=_string(entity_set, "Core.V1.Description") or source,
                source=source,
                identifier=refs[0],
                fields=fields,
                keys=_alternate_keys(entity_set),
                alternatives=tuple((a, b) for (a, none), (b, other) in rules if none is None and other is None),
                versioned=_term(entity_set, "Core.V1.OptimisticConcurrency") is not None,
                warning=_warning(entity),
                unread=tuple(_with_type(e) for e, f in read if f is None),
            )
        )
    known = {t.name for t in types}
    if not types:
        raise wrong
    types = [_without_lost_links(t, known) for t in types]
    label = _string(container, "Core.V1.Description") or address
    # Lists of values came with 4.01; of a service that names no version the newest is taken.
    promises = replace(_promises(container), lists=root.get("Version", "4.01") != "4.0")
    version = hashlib.sha256(_READING + content).hexdigest()[:16]
    return Catalogue(label, tuple(types), promises, version, tuple(unread))


def _with_type(element: ET.Element) -> str:
    """A property by its name, with its type."""
    return f"{element.get('Name', '')} ({element.get('Type', '').replace('Edm.', '')})"


def _without_lost_links(record_type: RecordType, known: set[str]) -> RecordType:
    fields = tuple(
        replace(f, kind=Kind.TEXT, target=None, navigation=None) if f.target and f.target not in known else f
        for f in record_type.fields
    )
    return replace(record_type, fields=fields)
