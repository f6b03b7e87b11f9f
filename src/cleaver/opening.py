"""Opening: the doors to stores and journals, which load neither until one is opened."""

from __future__ import annotations

from collections.abc import Mapping

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from pathlib import Path

    from cleaver.core.world import World
    from cleaver.design.design import Design
    from cleaver.journals.writing import Journal
    from cleaver.saves import Store
    from cleaver.saves.versions import Step


def open_store(
    url: str,
    design: Design,
    *,
    generations: int = 4,
    migrations: Mapping[int, Step] | None = None,
    name: str = "",
    lease: float = 30.0,
    read_only: bool = False,
) -> Store:
    """Return the store of profiles at *url*; see `cleaver.saves.open_store`."""
    from cleaver.saves import open_store as opened  # a database is slow to import; not every game saves

    return opened(
        url,
        design,
        generations=generations,
        migrations=migrations,
        name=name,
        lease=lease,
        read_only=read_only,
    )


def journal(world: World, path: str | Path) -> Journal:
    """Write down what a game does with a world from now on, as a script that does the same.

    ``cleaver play DESIGN FILE``, `test`, `why` and `diff` read it, and ``cleaver journal cut`` makes a test
    of a stretch of it. Profiles and designs that came in, and the world as it stood where it had begun, stand
    in the folder FILE.files beside it. Close it, or use it as a context manager.

    Args:
        world: The world, at any time outside of a listener.
        path: A new file; what is there already is never written over.

    Raises:
        UsageError: The file is there already or cannot be written, or the world has a journal already.
        BusyError: In a listener.
    """
    from cleaver.journals.writing import Journal  # scripts are slow to import; not every game writes one

    return Journal(world, path)
