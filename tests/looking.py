"""Read everything that a world, its actors and its HUD can be asked."""

from __future__ import annotations

from typing import Any

from cleaver import Actor, CleaverError, World, hud

Displays = list[Any]


def read_all(thing: Any, *, without: tuple[str, ...] = ()) -> dict[str, Any]:
    """Return every property of a thing that can be read now, by name."""
    found = {}
    for name in dir(type(thing)):
        if (
            not name.startswith("_")
            and name not in without
            and isinstance(getattr(type(thing), name), property)
        ):
            try:
                found[name] = getattr(thing, name)
            except CleaverError as error:  # a reader may refuse (no such meter); it may not change anything
                found[name] = error
    return found


def _asked(call: Any, *args: Any) -> None:
    try:
        call(*args)
    except CleaverError:
        pass


def paths(world: World, actor: Actor) -> list[str]:
    """Return paths of an actor over every section of the design."""
    tables = world.design.tables
    parts = [
        "alive",
        "score",
        "lives",
        "tags",
        "statuses",
        "team",
        "x",
        "bag.used",
        "bag.left",
        "bag.most",
        "stars",
        "rated.dive",
        "achieved.sore",
        "id",
        "kind",
        "owner",
    ]
    parts += [
        f"{meter}{end}" for meter in actor.meters for end in ("", ".max", ".fraction", ".percent", ".cells")
    ]
    parts += [
        *tables.currencies,
        *tables.items,
        *(f"record.{name}" for name in tables.records),
        *(f"achieved.{name}" for name in tables.achievements),
    ]
    parts += [
        f"quest.{name}{end}"
        for name, quest in tables.quests.items()
        for end in ("", *(f".goal{number + 1}" for number in range(len(quest.goals))))
    ]
    parts += [f"{name}{end}" for name in tables.levels for end in ("", ".xp", ".next")]
    parts += [f"stars.{name}" for name in tables.ratings]
    return [f"{actor.id}.{part}" for part in parts]


def displays(world: World) -> Displays:
    """Return displays that listen: they are open from now on."""
    return [
        hud.Popups(world),
        hud.Notices(world),
        hud.Toasts(world),
        *(hud.Counter(actor, "scrip") for actor in world.players),
    ]


def look(world: World) -> None:
    """Read everything."""
    read_all(world)
    for actor in world.actors:
        read_all(actor)
        read_all(actor.bag)
        for meter in actor.meters:
            read_all(actor[meter])
            read_all(hud.Bar(actor, meter))
        for path in paths(world, actor):
            _asked(world.value, path)
            _asked(world.why, path)
    for placement in world.placements:
        read_all(placement)
    for name in world.design.tables.matches:
        for thing in (world.match(name), hud.Scoreboard(world, name), hud.MatchClock(world, name)):
            read_all(thing)
    for player in world.players:
        for quest in player.quests:
            read_all(player.quests[quest])
            for goal in player.quests[quest].goals:
                read_all(goal)
            read_all(hud.Tracker(player, quest))
        for exchange in world.design.tables.exchanges:
            _asked(player.price, exchange)
            _asked(player.bought, exchange)
        for name in world.design.tables.achievements:
            read_all(player.achievements[name])
        for name in world.design.tables.ratings:
            read_all(hud.Stars(player, name))
        for name in world.design.tables.levels:
            read_all(hud.LevelBar(player, name))
        for name in world.design.tables.records:
            _asked(lambda name=name, player=player: read_all(hud.ComboMeter(player, name)))
        _asked(
            lambda player=player: (
                hud.quest_log(player),
                hud.shown_achievements(player),
                hud.slots(player),
                hud.sign(player, "post"),
                hud.line_of(player, "post"),
            )
        )
        world.profile(player)
    assert world.books.sums()
    assert world.books.lines is not None
    for event in world.events[-20:]:
        assert hud.sentence(event)
