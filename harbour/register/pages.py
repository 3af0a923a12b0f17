"""Plain read-only pages: a person looks a record up in the register itself."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from .models import BY_SET, TYPES, Record
from .odata.properties import Property, properties

_PAGE = 50


def _alias(name: str) -> str:
    alias = settings.ALIAS.get(name)
    if alias is None:
        raise Http404
    return str(alias)


def _model(entity_set: str) -> type[Record]:
    model = BY_SET.get(entity_set)
    if model is None:
        raise Http404
    return model


def _shown(prop: Property, record: Any) -> str:
    value = getattr(record, prop.column)
    if value in (None, "", []):
        return ""
    if prop.target:
        other = getattr(record, prop.name)
        return " · ".join(str(getattr(other, prop.target._meta.get_field(n).attname)) for n in prop.target.naming)
    if prop.edm == "Edm.Boolean":
        return "yes" if value else "no"
    return "; ".join(value) if isinstance(value, list) else str(value)


def home(request: HttpRequest) -> HttpResponse:
    return render(request, "register/home.html", {"sets": settings.SETS})


def types(request: HttpRequest, name: str) -> HttpResponse:
    alias = _alias(name)
    rows = [(m.entity_set, m.plural, m._default_manager.using(alias).count()) for m in TYPES]
    return render(request, "register/types.html", {"name": name, "rows": rows})


def records(request: HttpRequest, name: str, entity_set: str) -> HttpResponse:
    """The first records whose naming fields begin with the words asked for."""
    alias, model = _alias(name), _model(entity_set)
    rows = model._default_manager.using(alias).order_by(*model.naming)
    props = properties(model)
    for word in request.GET.get("find", "").split():
        fits = Q()
        for field in model.naming:
            column = f"{field}__pk" if props[field].target else field
            fits |= Q(**{f"{column}__istartswith": word})
        rows = rows.filter(fits)
    head = [props[field] for field in (*model.naming, *[n for n in props if n not in model.naming][1:6])]
    table = [(record.pk, [_shown(prop, record) for prop in head]) for record in rows[:_PAGE]]
    context = {"name": name, "model": model, "head": head, "table": table, "find": request.GET.get("find", "")}
    return render(request, "register/records.html", {**context, "plural": model.plural, "total": rows.count()})


def record(request: HttpRequest, name: str, entity_set: str, key: str) -> HttpResponse:
    alias, model = _alias(name), _model(entity_set)
    if model._meta.pk is not None and model._meta.pk.name == "id" and not key.isdigit():
        raise Http404
    found: Any = model._default_manager.using(alias).filter(pk=key).first()
    if found is None:
        raise Http404
    lines = [(prop.name, prop.label, _shown(prop, found)) for prop in properties(model).values()]
    title = " ".join(_shown(properties(model)[n], found) for n in model.naming)
    context = {"name": name, "lines": lines, "title": title, "version": found.version, "plural": model.plural}
    return render(request, "register/record.html", {**context, "entity_set": entity_set})
