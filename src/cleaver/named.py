"""Named: `NamedTuple` as typing has it, for modules that a game loads: typing is slow to import."""

from __future__ import annotations

from collections import namedtuple

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import NamedTuple as NamedTuple
else:

    class _Maker(type):
        """Makes a named tuple of the annotations of a class, in its place."""

        def __new__(cls, name, bases, space):
            fields = tuple(space.get("__annotations__", ()))
            defaults = [space[field] for field in fields if field in space]
            made = namedtuple(name, fields, defaults=defaults, module=space["__module__"])
            for key, value in space.items():
                if key not in fields and key not in ("__module__", "__slots__", "__dict__"):
                    setattr(made, key, value)
            return made

    NamedTuple = type.__new__(_Maker, "NamedTuple", (), {})
