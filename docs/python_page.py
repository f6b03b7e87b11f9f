"""The reference of the Python names, as Markdown that reads without building a site.

Start at `python_page`.
"""

from __future__ import annotations

import inspect
import re
from importlib import import_module
from typing import Any, ForwardRef

NOTE = "<!-- written by docs/reference.py; change the code instead -->\n"
ROOMS = {
    "cleaver.face": ("cleaver", "Everything a game writes is importable from `cleaver` itself."),
    "cleaver.hud": ("cleaver.hud", "What to draw, as values: `from cleaver import hud`."),
    "cleaver.window": (
        "cleaver.window",
        "HUD values drawn with pygame; needs the extra `window`: see [a window](../window.md).",
    ),
    "cleaver.lab": (
        "cleaver.lab",
        "Many plays of one design; needs the extra `lab`: see [the lab](../lab.md).",
    ),
    "cleaver.dice": ("cleaver.dice", "Dice of your own: streams that a seed and a name give."),
    "cleaver.saves": ("cleaver.saves", "Stores and savers; needs the extra `saves`."),
    "cleaver.tables": ("cleaver.tables", "What happened, as rows: see [tables](../tables.md)."),
    "cleaver.script": ("cleaver.script", "Scripts, played from Python."),
    "cleaver.testing": ("cleaver.testing", "Expectations in tests: see [testing a design](../testing.md)."),
}
MADE = ("Profile", "World")  # of `cleaver` itself, made by a game; the others come from these
_ARGUMENT = re.compile(r"^([*\w, ]+):")
_SECTION = re.compile(r"^(Args|Raises|Returns|Yields|Attributes):$")

LAYERS = ("WorldSeen", "Somebody", "Saver", "OpenedStore", "WritingStore")
"""Classes that others are built on, and which are told with those."""


def python_page() -> str:
    """Return the page: each public name with its signature and what it says of itself."""
    lines = [NOTE, "# Python\n"]
    for module, (name, about) in ROOMS.items():
        found = import_module(module)
        names = [public for public in getattr(found, "__all__", ()) if public not in ("hud", "__version__")]
        lines += [f"## {name}\n", f"{about}\n", f"{', '.join(_link(name, public) for public in names)}.\n"]
        for public in names:
            lines += _told(name, public, getattr(found, public))
    return "\n".join(lines).rstrip() + "\n"


def _anchor(room: str, name: str) -> str:
    return f"py-{room}-{name}".lower().replace(".", "-")


def _link(room: str, name: str) -> str:
    return f"[`{name}`](#{_anchor(room, name)})"


def _told(room: str, name: str, thing: Any) -> list[str]:
    lines = [f"### `{name}` {{ #{_anchor(room, name)} }}\n"]
    if isinstance(thing, type):
        made = room != "cleaver" or name in MADE
        shown = _signature(thing, name) if made and not issubclass(thing, Exception) else ""
        lines += [f"```py\n{shown}\n```\n"] if shown else []
        lines += _prose(thing)
        rows = []
        for member, value in _members(thing).items():
            if member.startswith("_") and member != "_listen":
                continue
            what = value.fget if isinstance(value, property) else getattr(value, "__func__", value)
            if not callable(what) or not what.__doc__:
                continue
            if isinstance(value, property):
                rows.append(f"- **`{member}`**{_type_of(what)}: {_flat(what)}")
            else:
                called = member.removeprefix("_") if member == "_listen" else member
                rows.append(f"- **`{_signature(what, called, bound=True)}`**: {_flat(what)}")
        lines += [*rows, ""] if rows else []
    elif callable(thing):
        lines += [f"```py\n{_signature(thing, name)}\n```\n", *_prose(thing)]
    else:
        lines += [f"{_plain(str(thing))}\n"]
    return lines


def _members(thing: type) -> dict[str, Any]:
    """Return what a class has of its own and of what it is built on, that first."""
    layers = [
        cls
        for cls in reversed(thing.__mro__)
        if cls.__module__.startswith("cleaver.") and cls.__name__ in LAYERS
    ]
    return {name: value for cls in (*layers, thing) for name, value in vars(cls).items()}


def _signature(thing: Any, name: str, *, bound: bool = False) -> str:
    """Return a call as it is written: annotations as they stand in the code."""
    try:
        found = inspect.signature(thing)
    except (TypeError, ValueError):
        return name
    kept = [
        one.replace(annotation=_Bare(text)) if (text := _written(one.annotation)) else one
        for one in found.parameters.values()
    ]
    if bound and kept and kept[0].name in ("self", "cls"):
        kept = kept[1:]
    shown = str(found.replace(parameters=kept, return_annotation=inspect.Signature.empty))
    back = found.return_annotation
    ends = "" if isinstance(thing, type) or back is inspect.Signature.empty else f" -> {_name(back)}"
    return re.sub(r"<(?:built-in )?function (\w+).*?>", r"\1", f"{name}{shown}{ends}")


def _written(annotation: Any) -> str:
    """Return an annotation as it stands in the code; "" where it is an object already."""
    if isinstance(annotation, ForwardRef):  # of a named tuple
        return annotation.__forward_arg__
    return annotation if isinstance(annotation, str) else ""


class _Bare:
    """An annotation that is shown as it stands in the code."""

    def __init__(self, text: str) -> None:
        self.text = text

    def __repr__(self) -> str:
        return self.text


def _name(annotation: Any) -> str:
    return annotation if isinstance(annotation, str) else getattr(annotation, "__name__", str(annotation))


def _type_of(getter: Any) -> str:
    back = getter.__annotations__.get("return", "")
    return f" (`{_name(back)}`)" if back else ""


def _plain(text: str) -> str:
    return re.sub(r"\*(\w+)\*", r"`\1`", text)


def _paragraphs(thing: Any) -> list[str]:
    """Return a docstring as paragraphs; a section of arguments or errors as a list."""
    told: list[str] = []
    section = False
    for line in inspect.cleandoc(thing.__doc__ or "").splitlines():
        if _SECTION.match(line.strip()) and not line.startswith(" "):
            told += ["", f"{line.strip()}", ""]
            section = True
        elif section and re.match(r" {4}\S", line):
            argument = _ARGUMENT.sub(r"`\1`:", line.strip())
            told.append(f"- {argument}")
        elif section and line.startswith("     "):
            told[-1] += f" {line.strip()}"
        else:
            section = section and not line.strip()
            told.append(line)
    return told


def _prose(thing: Any) -> list[str]:
    """Return a docstring as Markdown; examples stand in a fence."""
    lines: list[str] = []
    example = False
    for line in _paragraphs(thing):
        begins = line.startswith((">>>", "..."))
        if begins and not example:
            lines.append("```pycon")
        if example and not line.strip():
            lines.append("```")
        example = begins or (example and bool(line.strip()))
        lines.append(line if example else _plain(line))
    return [*lines, *(["```"] if example else []), ""]


def _flat(thing: Any) -> str:
    """Return a docstring in one paragraph, for a list."""
    words: list[str] = []
    for line in _paragraphs(thing):
        if line.startswith((">>>", "...")):
            break
        words.append(f"{line[2:]};" if line.startswith("- ") else line)
    text = re.sub(r"\s+", " ", " ".join(words)).strip().rstrip(";")
    return _plain(re.sub(r"(Args|Raises|Returns): ", r"_\1:_ ", text))
