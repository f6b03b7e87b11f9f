"""Adopting: a world goes on under another design.

A second set of parts is made under the new design, and takes up what the world is, made to fit (`Part.fit`,
`Part.go_on`). Only when that has come out well does the world become it: where anything fails before, nothing
has changed. Start at `adopted`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial

from cleaver.core import snapshots
from cleaver.core.adoption import Adoption
from cleaver.core.bind import bind
from cleaver.core.kernel import reading as names
from cleaver.core.kernel.crossing import Crossing
from cleaver.core.kernel.gathered import only
from cleaver.core.kernel.stage import GONE_ON
from cleaver.core.parts import Parts
from cleaver.errors import InUseError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.game import Game
    from cleaver.design.design import Design

MOST_NAMED = 3
"""Of what uses something, in a message."""


def adopted(game: Game, design: Design) -> Adoption:
    """Let a world go on under another design; returns what became of it.

    Raises:
        InUseError: What is in use there and is not in *design*; nothing has changed.
    """
    parts = game.parts
    kept = [*parts.stage.actors, *parts.pickups.table.placements, *parts.shots.table.shots]
    old = parts.design
    if design.same_as(old):
        return Adoption(old, design, kept)
    crossing = Crossing(parts, parts.kinds, bind(design, names.reader, parts.kinds))
    uses = list(_uses(parts, crossing))
    if uses:
        raise InUseError(uses)
    crossing.look_back()
    made = Parts(design, parts.stage.dice.seed, parts.stage.history.maxlen or 0)
    try:
        made.stage.twin = partial(snapshots.twin, made)
        snapshots.take_up(made, snapshots.state(parts), crossing)
        for part in made.all_parts:
            part.go_on(crossing)
    except BaseException:
        crossing.undo()
        raise
    _take_over(made, parts)
    game.parts = made
    kept = [one for one in kept if not made.stage.is_free(one)]
    done = Adoption(old, design, kept, crossing.began, crossing.ended, crossing.put_aside)
    _catch_up(made, crossing)
    return done


def _uses(parts: Parts, crossing: Crossing) -> Iterable[str]:
    """Yield what the new design lacks and something uses, with what uses it."""
    new, stage, tables = crossing.new, parts.stage, crossing.new.design.tables
    found: dict[str, list[str]] = {}
    for body in stage.actors.values():
        kind = new.actors.get(body.kind_name)
        if kind is None:
            found.setdefault(f"kind {body.kind_name} is gone", []).append(body.id)
        elif kind.player != body.kind.player:
            what = "a player kind now" if kind.player else "no player kind any more"
            found.setdefault(f"kind {body.kind_name} is {what}", []).append(body.id)
        if body.team and body.team not in new.teams:
            found.setdefault(f"team {body.team} is gone", []).append(body.id)
    for shot in parts.shots.table.shots.values():
        if shot.source.kind not in new.actors:
            found.setdefault(f"kind {shot.source.kind} is gone", []).append(f"shot {shot.id}")
    for placement in parts.pickups.table.placements.values():
        if placement.pickup not in tables.pickups:
            found.setdefault(f"pickup {placement.pickup} is gone", []).append(placement.id)
    for name, currency in tables.currencies.items():
        was = parts.kinds.goods.currencies.get(name)
        if was is not None and was.pooled != currency.pooled:
            holders = [holder for holder, held in parts.goods.table.held.items() if held.purse.get(name)]
            found |= {f"pooled of {name} is another": holders} if holders else {}
    for what, users in found.items():
        more = f" and {len(users) - MOST_NAMED} more" if len(users) > MOST_NAMED else ""
        yield f"{what}, used by {', '.join(users[:MOST_NAMED])}{more}"
    for name, contest in parts.contests.table.contests.items():
        if contest.running and name not in tables.matches:
            yield f"match {name} is gone, and running"
    if stage.playing and stage.playing not in tables.stages:
        yield f"stage {stage.playing} is gone, and being played"


def _take_over(made: Parts, parts: Parts) -> None:
    """Give the parts that were made what a game has of the old ones, and what is no state."""
    old, new = parts.stage, made.stage
    new.listeners, new.calls, new.history = old.listeners, old.calls, old.history
    new.listeners.stage = new
    new.adopted = old.adopted + 1
    new.passing, new.patience, new.halt = old.passing, old.patience, old.halt
    old.successor, old.seq = new, GONE_ON
    made.handles = parts.handles
    made.goods.journal, made.pickups.gone = parts.goods.journal, parts.pickups.gone
    made.profiles.noted = parts.profiles.noted


def _catch_up(parts: Parts, crossing: Crossing) -> None:
    """Tell listeners what has changed, and let happen what is true by now."""
    stage = parts.stage
    stage.told_only, stage.told_why = True, "adopted"
    try:
        for name, actor, values in crossing.told:
            if actor not in stage.actors:  # the purse of a team
                continue
            stage.emit(name, actor, "", values)
        stage.emit("adopted", "", "", ())
    finally:
        stage.told_only, stage.told_why = False, "loaded"
    for body in list(stage.players.values()):
        for noted in parts.profiles.noted:
            noted(body)
    errors = stage.deliver() if stage.queue else []
    steps: list[Callable[[], None]] = [partial(parts.vitals.death.bury, crossing)]
    for body in stage.players.values():
        steps += [
            partial(parts.goods.debts.pay_debts, body),
            partial(parts.levels.arrived, body),
            partial(parts.achievements.arrived, body),
        ]
    steps += [partial(parts.quests.catch_up, crossing), parts.contests.catch_up]
    for step in steps:
        try:
            step()
        except Exception as error:  # the world has gone on; the error is raised at the end
            errors.append(error)
        if stage.queue:
            errors += stage.deliver()
    errors += stage.look()
    if errors:
        raise only(errors)
