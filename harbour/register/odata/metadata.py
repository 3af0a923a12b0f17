"""``$metadata``: the register described in CSDL XML, with annotations of the standard vocabularies."""

from __future__ import annotations

from collections.abc import Collection
from functools import cache
from xml.etree import ElementTree as ET

from ..models import TYPES, Record
from .properties import Property, properties

NAMESPACE = "Saltmarsh.Register"
_EDMX = "http://docs.oasis-open.org/odata/ns/edmx"
_EDM = "http://docs.oasis-open.org/odata/ns/edm"
_VOCABULARIES = ("Core", "Validation", "Capabilities", "Repeatability", "Aggregation")


def _annotate(parent: ET.Element, term: str, **value: str) -> ET.Element:
    return ET.SubElement(parent, "Annotation", {"Term": f"Org.OData.{term}", **value})


def _more(element: ET.Element, model: type[Record], name: str) -> None:
    """What no standard vocabulary has words for: other names, warnings, and numbers with a short and a long form."""
    if name in model.warns:
        ET.SubElement(element, "Annotation", {"Term": "Sheets.V1.Warning", "String": model.warns[name]})
    names = model.also_called.get(name)
    if names:
        annotation = ET.SubElement(element, "Annotation", Term="Sheets.V1.AlsoCalled")
        collection = ET.SubElement(annotation, "Collection")
        for one in names:
            ET.SubElement(collection, "String").text = one
    if name in model.long_form:
        letters, figures = model.long_form[name]
        annotation = ET.SubElement(element, "Annotation", Term="Sheets.V1.LongForm")
        record = ET.SubElement(annotation, "Record")
        ET.SubElement(record, "PropertyValue", Property="Letters", String=letters)
        ET.SubElement(record, "PropertyValue", Property="Figures", Int=str(figures))


def _describe(parent: ET.Element, label: str, help_text: str = "") -> None:
    _annotate(parent, "Core.V1.Description", String=label)
    if help_text:
        _annotate(parent, "Core.V1.LongDescription", String=help_text)


def _choices(parent: ET.Element, prop: Property) -> None:
    values = ET.SubElement(_annotate(parent, "Validation.V1.AllowedValues"), "Collection")
    for code, text in prop.choices:
        record = ET.SubElement(values, "Record")
        ET.SubElement(record, "PropertyValue", Property="Value", String=code)
        _describe(record, text)


def _property(parent: ET.Element, prop: Property, model: type[Record]) -> None:
    attributes = {"Name": prop.name, "Type": f"Collection({prop.edm})" if prop.many else prop.edm}
    if prop.required or prop.many:
        attributes["Nullable"] = "false"
    for name, value in (("MaxLength", prop.max_length), ("Precision", prop.precision), ("Scale", prop.scale)):
        if value is not None:
            attributes[name] = str(value)
    element = ET.SubElement(parent, "Property", attributes)
    _describe(element, prop.label, prop.help)
    if prop.computed:
        _annotate(element, "Core.V1.Computed", Bool="true")
    elif prop.default:
        _annotate(element, "Core.V1.ComputedDefaultValue", Bool="true")
    if prop.name in model.immutable:
        _annotate(element, "Core.V1.Immutable", Bool="true")
    if prop.choices:
        _choices(element, prop)
    _more(element, model, prop.name)


def _type(schema: ET.Element, model: type[Record]) -> None:
    element = ET.SubElement(schema, "EntityType", Name=model.__name__)
    identifier = model._meta.pk
    assert identifier is not None
    ET.SubElement(ET.SubElement(element, "Key"), "PropertyRef", Name=identifier.name)
    props = properties(model)
    for prop in props.values():
        _property(element, prop, model)
    for prop in props.values():
        if prop.target:
            attributes = {"Name": prop.navigation, "Type": f"{NAMESPACE}.{prop.target.__name__}"}
            link = ET.SubElement(element, "NavigationProperty", attributes)
            referenced = prop.target._meta.pk
            assert referenced is not None
            ET.SubElement(link, "ReferentialConstraint", Property=prop.name, ReferencedProperty=referenced.name)
    _describe(element, str(model._meta.verbose_name))
    _rules(element, model)


def _rule(element: ET.Element, qualifier: str, message: str, conditions: list[tuple[str, str | None]]) -> None:
    """A constraint of a type: one of the properties has its value, or is empty where that is None."""
    record = ET.SubElement(_annotate(element, "Validation.V1.Constraint", Qualifier=qualifier), "Record")
    ET.SubElement(record, "PropertyValue", Property="FailureMessage", String=message)
    either = ET.SubElement(ET.SubElement(record, "PropertyValue", Property="Condition"), "Or")
    for name, value in conditions:
        equal = ET.SubElement(either, "Eq")
        ET.SubElement(equal, "Path").text = name
        if value is None:
            ET.SubElement(equal, "Null")
        else:
            ET.SubElement(equal, "String").text = value


def _rules(element: ET.Element, model: type[Record]) -> None:
    props = properties(model)
    _more(element, model, "")
    for first, second in model.one_of_two:
        message = f"A record has a {props[first].label.lower()} or a {props[second].label.lower()}, not both."
        _rule(element, f"{first}-{second}", message, [(first, None), (second, None)])
    for name, (kind, value) in model.only_for.items():
        _rule(element, name, f"{props[name].label} belongs to {value} records only.", [(name, None), (kind, value)])
    if model.tree and model._meta.pk is not None:
        term = _annotate(element, "Aggregation.V1.RecursiveHierarchy", Qualifier=model.tree)
        record = ET.SubElement(term, "Record")
        ET.SubElement(record, "PropertyValue", Property="NodeProperty", PropertyPath=model._meta.pk.name)
        parent = {"Property": "ParentNavigationProperty", "NavigationPropertyPath": props[model.tree].navigation}
        ET.SubElement(record, "PropertyValue", parent)


def _alternate_keys(parent: ET.Element, model: type[Record]) -> None:
    keys = ET.SubElement(_annotate(parent, "Core.V1.AlternateKeys"), "Collection")
    for key in model.keys:
        record = ET.SubElement(keys, "Record")
        refs = ET.SubElement(ET.SubElement(record, "PropertyValue", Property="Key"), "Collection")
        for name in key:
            ref = ET.SubElement(refs, "Record")
            ET.SubElement(ref, "PropertyValue", Property="Name", PropertyPath=name)
            ET.SubElement(ref, "PropertyValue", Property="Alias", String=name)


def _container(schema: ET.Element, versioned: Collection[str], repeatable: bool, keys: bool) -> None:
    container = ET.SubElement(schema, "EntityContainer", Name="Container")
    for model in TYPES:
        name = f"{NAMESPACE}.{model.__name__}"
        entity_set = ET.SubElement(container, "EntitySet", Name=model.entity_set, EntityType=name)
        for prop in properties(model).values():
            if prop.target:
                ET.SubElement(
                    entity_set, "NavigationPropertyBinding", Path=prop.navigation, Target=prop.target.entity_set
                )
        _describe(entity_set, model.plural)
        if model.__name__ in versioned:
            _annotate(entity_set, "Core.V1.OptimisticConcurrency")
        if model.keys and keys:
            _alternate_keys(entity_set, model)
    _describe(container, "Saltmarsh Harbour Register")
    if repeatable:
        _annotate(container, "Repeatability.V1.Supported", Bool="true")
    _annotate(container, "Aggregation.V1.ApplySupported")
    for term in ("AddedFields", "AddedChoices"):
        ET.SubElement(container, "Annotation", Term=f"Sheets.V1.{term}", String=term)
    batch = ET.SubElement(_annotate(container, "Capabilities.V1.BatchSupport"), "Record")
    ET.SubElement(batch, "PropertyValue", Property="Supported", Bool="true")
    ET.SubElement(batch, "PropertyValue", Property="ContinueOnErrorSupported", Bool="true")
    formats = ET.SubElement(ET.SubElement(batch, "PropertyValue", Property="SupportedFormats"), "Collection")
    ET.SubElement(formats, "String").text = "application/json"


@cache
def document(versioned: tuple[str, ...], repeatable: bool = False, keys: bool = True) -> bytes:
    """The whole document, by what the register promises. It is the same for every set.

    Args:
        versioned: the types whose records carry a version.
    """
    root = ET.Element("edmx:Edmx", {"xmlns:edmx": _EDMX, "Version": "4.01"})
    for name in _VOCABULARIES:
        uri = f"https://oasis-tcs.github.io/odata-vocabularies/vocabularies/Org.OData.{name}.V1.xml"
        reference = ET.SubElement(root, "edmx:Reference", Uri=uri)
        ET.SubElement(reference, "edmx:Include", Namespace=f"Org.OData.{name}.V1")
    schema = ET.SubElement(ET.SubElement(root, "edmx:DataServices"), "Schema", {"xmlns": _EDM, "Namespace": NAMESPACE})
    for model in TYPES:
        _type(schema, model)
    _container(schema, versioned, repeatable, keys)
    return ET.tostring(root, encoding="utf-8", xml_declaration=True)
