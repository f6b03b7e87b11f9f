"""Opening: the door to stores that does not load a database until one is opened."""

from __future__ import annotations

from collections.abc import Mapping

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.design.design import Design
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
