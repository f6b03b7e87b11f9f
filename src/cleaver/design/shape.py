"""Shape: whether each entry of a design has the keys and ranges its model asks for.

Every entry is validated by itself, so that one broken entry hides nothing about the others; pydantic's errors
are put into words a designer reads, with the nearest known key. What names refer to is `references`'
business. Start at `shaped`.
"""

from __future__ import annotations

from functools import cache
from typing import Any, get_args, get_origin

from pydantic import BaseModel, TypeAdapter, ValidationError

from cleaver.design.lines import Path
from cleaver.design.models import NAMED, DesignTables, Rule
from cleaver.design.reading import Source
from cleaver.errors import advice


def shaped(source: Source, before: tuple[Source, DesignTables] | None = None) -> DesignTables:
    """Return the entries of *source* that have the right shape; the errors of the others are
    added to *source*.

    Entries that *source* shares, as the same objects, with the design *before* are right, and taken over
    from its tables.
    """
    parts: dict[str, Any] = {}
    past: dict[str, Any] = {} if before is None else before[0].tree
    made: Any = None if before is None else before[1]
    fields = DesignTables.model_fields
    for section, value in source.tree.items():
        if section not in fields:
            source.tell((section,), f"unknown section {section!r}", advice(section, list(fields)))
            continue
        annotation = fields[section].rebuild_annotation()
        was = past.get(section)
        if was is not None and was is value:
            parts[section] = getattr(made, section)
        elif section in NAMED or section == "rules":
            entries = None if was is None else getattr(made, section)
            parts[section] = _entries(source, section, value, annotation, was, entries)
        else:
            found = validated(source, annotation, value, (section,))
            if found is not None:
                parts[section] = found
    return DesignTables.model_construct(**(_absent() | parts))


def _entries(source: Source, section: str, value: Any, annotation: Any, was: Any, made: Any) -> Any:
    """Return the entries of one section; those of *was* that stay are taken from *made*."""
    if section == "rules":
        if not isinstance(value, list):
            source.tell((section,), "must be a list of tables", "write [[rules]] above each")
            return ()
        rules = [
            made[number]
            if was is not None and number < len(was) and was[number] is entry
            else validated(source, Rule, entry, (section, number))
            for number, entry in enumerate(value)
        ]
        return tuple(rule for rule in rules if rule is not None)
    if not isinstance(value, dict):
        source.tell((section,), "must be a table of named entries", f"write [{section}.some_name]")
        return {}
    name_type = get_args(annotation)[0]
    found: dict[str, Any] = {}
    for name, entry in value.items():
        if was is not None and name in was and was[name] is entry:
            found[name] = made[name]
        elif validated(source, name_type, name, (section, name)) is not None:
            shape = validated(source, NAMED[section], entry, (section, name))
            if shape is not None:
                found[name] = shape
    return found


@cache
def _absent() -> dict[str, Any]:
    return {name: field.get_default() for name, field in DesignTables.model_fields.items()}


@cache
def _adapter(annotation: Any) -> TypeAdapter[Any]:
    # Making one costs ten times as much as a validation; there are about twenty annotations, all of our own.
    return TypeAdapter(annotation)


def validated(source: Source, annotation: Any, value: Any, path: Path) -> Any:
    """Return what a model makes of a value, None where it is wrong; the errors are added to *source*."""
    try:
        return _adapter(annotation).validate_python(value)
    except ValidationError as error:
        for item in error.errors(include_url=False):
            loc: Path = tuple(part for part in item["loc"] if part != "[key]")
            wrong, right = _words(annotation, item, loc)
            source.tell((*path, *loc), wrong, right)
        return None


def _words(annotation: Any, item: Any, loc: Path) -> tuple[str, str]:
    """Return (what is wrong, what would be right) for one error of pydantic's."""
    kind, given, context = item["type"], item.get("input"), item.get("ctx", {})
    if kind == "extra_forbidden":
        return f"unknown key {str(loc[-1])!r}", advice(str(loc[-1]), _keys_at(annotation, loc[:-1]))
    if kind == "missing":
        return "is missing", f"give it a value: {loc[-1]} = …" if loc else ""
    bounds = {
        "greater_than": "greater than {gt}",
        "greater_than_equal": "{ge} or more",
        "less_than_equal": "at most {le}",
        "less_than": "less than {lt}",
    }
    if kind in bounds:
        return f"is {given!r}", "it must be " + bounds[kind].format(**context)
    wanted = {
        "float_type": "a number",
        "int_type": "a whole number",
        "int_from_float": "a whole number",
        "bool_type": "true or false",
        "string_type": "a text",
        "finite_number": "a finite number",
        "tuple_type": "a list",
        "list_type": "a list",
        "dict_type": "a table",
        "model_type": "a table",
        "model_attributes_type": "a table",
    }
    if kind in wanted:
        return f"is {given!r}", f"it must be {wanted[kind]}"
    if kind == "literal_error":
        choices = [choice.strip("' ") for choice in str(context["expected"]).replace(" or ", ", ").split(",")]
        return f"is {given!r}", "it must be one of " + advice(
            str(given), choices, lead="allowed"
        ).removeprefix("allowed: ")
    wrong, _, right = str(item["msg"]).partition("; ")
    return wrong, right


def _keys_at(annotation: Any, loc: Path) -> list[str]:
    """Return the keys that the table at *loc* inside *annotation* may have."""
    model = _model_of(annotation)
    for part in loc:
        if model is not None and isinstance(part, str) and _field(model, part) is not None:
            annotation = _field(model, part)
        else:
            inner = [argument for argument in get_args(annotation) if argument is not Ellipsis]
            annotation = inner[-1] if inner else annotation
        model = _model_of(annotation)
    return [] if model is None else [field.alias or name for name, field in model.model_fields.items()]


def _field(model: type[BaseModel], key: str) -> Any:
    return next(
        (field.annotation for name, field in model.model_fields.items() if key == (field.alias or name)), None
    )


def _model_of(annotation: Any) -> type[BaseModel] | None:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    if get_origin(annotation) in (dict, tuple, list):
        return None
    return next(
        (found for argument in get_args(annotation) if (found := _model_of(argument)) is not None), None
    )
