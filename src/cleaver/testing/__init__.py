"""Testing: scripts and worlds among a project's own pytest tests.

Installed with Cleaver, the plugin collects every ``*.play`` file as a test; see
`cleaver.testing.plugin` for its options and fixtures. Start at `expect`.
"""

from __future__ import annotations

TYPE_CHECKING = False  # pytest loads this at every start, with a project's tests or without
if TYPE_CHECKING:
    from cleaver.core.world import World

LATEST = 8  # events shown where an expectation does not hold

__all__ = ["expect"]


def expect(world: World, formula: str) -> None:
    """Assert what a script's `expect` would: *formula* over the paths of *world*, `event.NAME.FIELD` and
    `count.NAME` of the events it kept.

    Raises:
        AssertionError: It does not hold; says each side of every comparison, and the latest events.
        CleaverError: The formula is wrong, with the nearest right name.

    >>> from cleaver import Design, World
    >>> world = World(Design.from_dict({"actors": {"crate": {"vital": "planks", "meters": {"planks": 20}}}}))
    >>> _ = world.spawn("crate", "box").hurt(8)
    >>> expect(world, "box.planks == 12 and count.damaged == 1")
    """
    __tracebackhide__ = True
    from cleaver.script.looking import latest_events
    from cleaver.script.session import Memory
    from cleaver.script.truth import told_sides

    with Memory.of(world) as memory:
        sides = told_sides(memory, formula)
    if sides:
        raise AssertionError(
            "\n".join(
                [
                    "it does not hold:",
                    *(f"  {side}" for side in sides),
                    "the latest events:",
                    *(f"  {line}" for line in latest_events(world, LATEST) or ["none"]),
                ]
            )
        )
