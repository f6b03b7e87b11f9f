"""Records: how state becomes data and data becomes state again.

A record declares its slots. A slot is state and has a type; a slot named in `caches`, or with a leading
underscore, is not kept. Packing and unpacking are written once per class, as one function each, on first use.
Start at `Record`.
"""

from __future__ import annotations

import sys
import types
from collections.abc import Callable

from cleaver.errors import SnapshotError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from collections.abc import Mapping
    from typing import Any, ClassVar, Self

Found = list["Record"]
_SCALARS = (int, float, str, bool)
_CODECS: dict[type, tuple[Callable[[Any], list[Any]], Callable[[Any, Found], Any]]] = {}


class Record:
    """State that can be packed as plain data. Subclasses set `__slots__` and annotate each slot that is
    state."""

    __slots__ = ()
    caches: ClassVar[tuple[str, ...]] = ()
    """Slots that are no state: what can be found again from the rest."""
    collected: ClassVar[bool] = False
    """Whether `unpack` adds instances to the list it is given (timers do, so that the schedule can be made
    again)."""

    def __init_subclass__(cls) -> None:
        if "__slots__" not in cls.__dict__:
            raise TypeError(f"{cls.__name__} declares no __slots__, so its state would be unknown")
        for slot in cls.__dict__["__slots__"]:
            if not _is_cache(cls, slot) and not any(slot in get_annotations(base) for base in cls.__mro__):
                raise TypeError(
                    f"{cls.__name__}.{slot} has no type; state must have one, or be named in `caches`"
                )

    def fresh(self) -> None:
        """Set the caches of a record that was just unpacked. Subclasses with caches override this."""

    def pack(self) -> list[Any]:
        """Return the state as a JSON-ready list, in the order of the slots."""
        return _codec(type(self))[0](self)

    @classmethod
    def unpack(cls, data: Any, found: Found) -> Self:
        """Return the record that `pack` wrote; the collected ones inside it are added to *found*."""
        made: Self = _codec(cls)[1](data, found)
        return made


def get_annotations(cls: type) -> dict[str, Any]:
    """Return a class's own annotations, as written."""
    # Inspect, which has a call for it, is slow to import
    found: dict[str, Any] = cls.__dict__.get("__annotations__", {})  # noqa: RUF063
    return found


def slots_of(cls: type[Record]) -> tuple[str, ...]:
    """Return the names of the slots that are state, base classes first."""
    return tuple(
        slot
        for base in reversed(cls.__mro__)
        for slot in base.__dict__.get("__slots__", ())
        if not _is_cache(base, slot)
    )


def _is_cache(cls: type, slot: str) -> bool:
    return slot.startswith("_") or slot in cls.__dict__.get("caches", ())


def each_under_its_name(table: Mapping[str, Any], name: str) -> None:
    """Raise where what was unpacked into a table stands under another name than its own, in its slot
    *name*."""
    for key, record in table.items():
        if getattr(record, name) != key:
            raise SnapshotError(
                f"the {type(record).__name__} {getattr(record, name)!r} stands under {key!r} in the snapshot"
            )


def _codec(cls: type[Record]) -> tuple[Callable[[Any], list[Any]], Callable[[Any, Found], Any]]:
    codec = _CODECS.get(cls)
    if codec is None:
        codec = _CODECS[cls] = _write(cls)
    return codec


def _write(cls: type[Record]) -> tuple[Callable[[Any], list[Any]], Callable[[Any, Found], Any]]:
    slots = slots_of(cls)
    hints = {slot: _hint(cls, slot) for slot in slots}
    space: dict[str, Any] = {"cls": cls, "new": cls.__new__, "wrong": _wrong, "bad": _bad}
    packs = ", ".join(
        _expression(hints[slot], f"r.{slot}", space, True, f"{cls.__name__}.{slot}") for slot in slots
    )
    lines = [
        f"def pack(r): return [{packs}]",
        "def unpack(d, found):",
        f" if type(d) is not list or len(d) != {len(slots)}: raise wrong(cls)",
        " r = new(cls)",
    ]
    lines += [
        f" r.{slot} = {_expression(hints[slot], f'd[{index}]', space, False, f'{cls.__name__}.{slot}')}"
        for index, slot in enumerate(slots)
    ]
    if cls.fresh is not Record.fresh:
        lines.append(" r.fresh()")
    if cls.collected:
        lines.append(" found.append(r)")
    lines.append(" return r")
    exec("\n".join(lines), space)  # written from declared slots alone
    return space["pack"], space["unpack"]


def _hint(cls: type[Record], slot: str) -> Any:
    """Return the type of a slot; caches may have types that exist only for checkers, so slots are looked at
    one by one."""
    home = next(base for base in cls.__mro__ if slot in get_annotations(base))
    return eval(get_annotations(home)[slot], vars(sys.modules[home.__module__]))  # an annotation of our own


def _wrong(cls: type) -> SnapshotError:
    return SnapshotError(f"a {cls.__name__} in the snapshot does not have the shape this version writes")


def _bad(value: Any, where: str) -> Any:
    raise SnapshotError(
        f"{where} is {str(value)[:60]!r} in the snapshot, which this version never writes there"
    )


def _looked_at(kinds: tuple[type, ...], value: str, where: str) -> str:
    """Return code that gives *value* if it is of one of a few types, and finite."""
    tests = []
    for kind in kinds:
        if kind is type(None):
            tests.append(f"{value} is None")
        elif kind is float:
            tests.append(f"(type({value}) is float or type({value}) is int) and -1e308 < {value} < 1e308")
        else:
            tests.append(f"type({value}) is {kind.__name__}")
    return f"({value} if {' or '.join(tests)} else bad({value}, {where!r}))"


def _expression(hint: Any, value: str, space: dict[str, Any], packing: bool, where: str) -> str:
    """Return code that packs or unpacks *value*, of the type *hint*."""
    if hint in _SCALARS:
        return value if packing else _looked_at((hint,), value, where)
    origin = getattr(hint, "__origin__", None)
    arguments: tuple[Any, ...] = getattr(hint, "__args__", ())
    if isinstance(hint, types.UnionType):
        inner = [argument for argument in arguments if argument is not type(None)]
        if len(inner) == 1:
            return f"(None if {value} is None else {_expression(inner[0], value, space, packing, where)})"
        if all(argument in _SCALARS for argument in inner):
            return (
                value
                if packing
                else _looked_at(
                    (*inner, type(None)) if len(inner) < len(arguments) else tuple(inner), value, where
                )
            )
    if isinstance(hint, type) and issubclass(hint, Record):
        if packing:  # written in line: a call a record would cost as much as the record
            inner_codes = [
                _expression(_hint(hint, slot), f"{value}.{slot}", space, True, f"{hint.__name__}.{slot}")
                for slot in slots_of(hint)
            ]
            return f"[{', '.join(inner_codes)}]"
        index = f"c{len(space)}"
        space[index] = _codec(hint)[1]
        return f"{index}({value}, found)"
    if not packing and origin in (dict, list):
        value = f"({value} if type({value}) is {origin.__name__} else bad({value}, {where!r}))"
    if origin is dict and arguments[0] is str:
        inner_code = _expression(arguments[1], "v", space, packing, where)
        # An empty one, as most are, is passed by: a comprehension is a call.
        return (
            f"({{**{value}}} if {value} else {{}})"
            if inner_code == "v"
            else f"({{k: {inner_code} for k, v in {value}.items()}} if {value} else {{}})"
        )
    if origin is list:
        inner_code = _expression(arguments[0], "v", space, packing, where)
        return f"[*{value}]" if inner_code == "v" else f"([{inner_code} for v in {value}] if {value} else [])"
    raise TypeError(
        f"{where} is a {hint}; state may be numbers, texts, truths, records, and lists and "
        "dictionaries of them"
    )
