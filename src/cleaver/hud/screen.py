"""Screen: all that a screen of one player draws, as plain values in one call.

Reads the present and keeps nothing, so it can be sent to another process as it is. What moves by itself (a
ghost, a flying coin, a popup) has a memory, and is an object of its own. Start at `frame`.
"""

from __future__ import annotations

from cleaver.core import read
from cleaver.core.handles import Actor
from cleaver.core.kernel.arguments import HANDLE, checked
from cleaver.core.views import Match
from cleaver.hud.contests.boards import Stars, score_text
from cleaver.hud.drawn import clock_text
from cleaver.hud.gear import abilities
from cleaver.hud.goods.counters import slots
from cleaver.hud.quests.errands import Tracker, line_of, quest_log, shown_achievements, sign
from cleaver.hud.turns import turn_order
from cleaver.hud.vitals.bar import Bar
from cleaver.hud.vitals.rings import CooldownRing, StatusRing

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from typing import Any


@checked(actor=HANDLE)
def frame(actor: Actor) -> dict[str, Any]:
    """Return what a screen of one actor draws: numbers, texts, lists and tables that JSON can hold.

    Of a player: all of it; of any other actor: itself with its meters, statuses and cooldowns.

    Returns:
        A table with these keys. Spans are in seconds, fractions from 0 to 1, texts as the HUD objects of the
        same name write them.

        - ``id``, ``kind``, ``team``, ``alive``, ``lives`` (0 where they are not counted), ``returns``
          (seconds until it comes back, 0 where it does not), ``tags``, ``at`` (x, y and z, or None).
        - ``meters``: by name, with ``value``, ``max``, ``fraction``, ``text``, ``percent``, ``role``,
          ``cells``, ``of`` (how many cells there are), ``marks`` and ``shield``.
        - ``statuses``: by name, with ``stacks``, ``left`` (``unit``: seconds, turns, rounds or days) and
          ``fraction`` (of it that is over).
        - ``cooldowns``: by attack, with ``left``, ``unit`` and ``fraction``; only those that rest.
        - ``turns``: ``round`` and ``order``, a list of ``actor``, ``title`` and ``on``; ``day`` (None before
          the first).
        - ``score``, ``purse``, ``bag`` (``items``, ``slots``, ``used``, ``most``).
        - ``stats``: by name; ``worn``: by slot, a list of items; ``abilities``: each with ``name``,
          ``title``, ``costs``, ``left``, ``fraction``, ``blocked`` ("" where it can be used) and ``unit``.
        - ``levels``: by name, with ``level``, ``xp``, ``left``; ``records``: by name.
        - ``ratings``: by name, with ``best``, ``rated`` and ``stars`` ("earned", "next", "missing").
        - ``quests``: the log in its order, each with ``quest``, ``title``, ``state``, ``goals``, ``next`` and
          ``left``; ``givers``: by name, with ``sign`` and ``says``.
        - ``achievements``: those that may be seen, with ``title``, ``text`` and ``achieved``.
        - ``matches``: by name, with ``text``, ``rows``, ``clock``, ``left``, ``running``, ``paused``,
          ``winner`` and ``round``.
        - ``now``, and ``stage`` ("" for none).
    """
    body, world = read.body(actor), read.parts(actor)
    shown = {
        "id": actor.id,
        "kind": actor.kind,
        "team": actor.team,
        "alive": actor.alive,
        "lives": actor.lives,
        "returns": 0.0 if body.comeback is None else world.stage.clock.time_left(body.comeback.due, body),
        "tags": list(actor.tags),
        "at": None if actor.position is None else list(actor.position),
        "meters": {name: _meter(Bar(actor, name)) for name in actor.meters},
        "statuses": {name: _status(actor, name) for name in dict.fromkeys(actor.statuses)},
        "cooldowns": {
            attack: {"left": ring.left, "fraction": ring.fraction, "unit": ring.unit}
            for attack in body.kind.attacks
            if not (ring := CooldownRing(actor, attack)).ready
        },
        "turns": {"round": world.turns.table.round, "order": [row._asdict() for row in turn_order(actor)]},
        "day": world.stage.clock.day,
        "now": world.now_us / 1e6,
        "stage": world.stage.playing,
    }
    return shown | _player(actor) if actor.player else shown


def _meter(bar: Bar) -> dict[str, Any]:
    meter = bar.meter
    return {
        "value": bar.value,
        "max": bar.max,
        "fraction": bar.fraction,
        "text": bar.text,
        "percent": bar.percent,
        "role": bar.role,
        "cells": bar.cells,
        "of": meter.cell_count,
        "marks": dict(meter.marks),
        "shield": bar.shield,
    }


def _status(actor: Actor, name: str) -> dict[str, Any]:
    ring = StatusRing(actor, name)
    timed = {"left": ring.left, "fraction": ring.fraction, "unit": ring.unit}
    return {"stacks": actor.statuses.count(name), **timed}


def _player(actor: Actor) -> dict[str, Any]:
    """Return what only players have."""
    world, bag = read.parts(actor), actor.bag
    quests = actor.quests
    givers = dict.fromkeys(quests[name].giver for name in quests if quests[name].giver)
    return {
        "score": actor.score,
        "stats": dict(read.body(actor).stats),
        "worn": {slot: list(items) for slot, items in actor.worn.items()},
        "abilities": [row._asdict() for row in abilities(actor)],
        "purse": dict(actor.purse),
        "bag": {
            "items": {name: held for name, held in bag.items() if held},
            "slots": list(slots(actor)),
            "used": bag.used,
            "most": bag.most,
        },
        "levels": {
            name: {"level": int(level), "xp": level.xp, "left": level.left}
            for name, level in actor.levels.items()
        },
        "records": dict(actor.records),
        "ratings": {
            name: {"best": rating.best, "rated": rating.rated, "stars": list(Stars(actor, name).cells)}
            for name, rating in actor.ratings.items()
        },
        "quests": [
            {
                "quest": row.quest,
                "title": row.title,
                "state": row.state,
                "goals": list(Tracker(actor, row.quest).lines if row.goals else ()),
                "next": row.next,
                "left": quests[row.quest].left,
            }
            for row in quest_log(actor)
        ],
        "givers": {name: {"sign": sign(actor, name), "says": line_of(actor, name)} for name in givers},
        "achievements": [
            {"title": title, "text": text, "achieved": achieved}
            for title, text, achieved in shown_achievements(actor)
        ],
        "matches": {name: _match(Match(read.game_of(actor), name)) for name in world.kinds.contests.matches},
    }


def _match(match: Match) -> dict[str, Any]:
    return {
        "text": score_text(match),
        "rows": [{"rank": place.rank, "side": place.side, "score": place.score} for place in match.standings],
        "clock": clock_text(match.left, match.left_unit),
        "left": match.left,
        "running": match.running,
        "paused": match.paused,
        "winner": match.winner,
        "round": match.round,
    }
