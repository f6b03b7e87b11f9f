"""Commands about points, lives, levels, ratings and matches. Start at `score`."""

from __future__ import annotations

from typing import Annotated

from cleaver.core.kernel.results import Result
from cleaver.errors import UsageError
from cleaver.rounding import counted, shown
from cleaver.script.command import command, said
from cleaver.script.parameters import ActorName, Input, Ladder, MatchName, RatingName, Whole, choice
from cleaver.script.session import Session

THEME = "points"


@command(THEME, "score ana 40")
def score(session: Session, actor: ActorName, points: Whole) -> str:
    """Adds points."""
    return said(session, actor.add_score(points), f"{points} points")


@command(THEME, "deduct ana 5")
def deduct(session: Session, actor: ActorName, points: Whole) -> str:
    """Takes points away."""
    result = actor.deduct(points)
    return said(session, result, f"{shown(result.amount)} points less, {actor.score} now")


@command(THEME, "lives ana 1")
def lives(session: Session, actor: ActorName, count: Whole) -> str:
    """Adds lives."""
    result = actor.add_lives(count)
    return said(session, result, f"{counted(int(result.amount), 'life', 'lives')}, {actor.lives} now")


@command(THEME, "xp ana rank 60")
def xp(session: Session, actor: ActorName, levels: Ladder, amount: Whole) -> str:
    """Gains experience."""
    result = actor.gain_xp(levels, amount)
    level = actor.levels[levels]
    return said(session, result, f"{levels} {level}, {level.xp} in all, {level.left} to the next")


@command(THEME, "rate ana dive")
def rate(session: Session, actor: ActorName, rating: RatingName, /, **inputs: Input) -> str:
    """Gives stars for what was done."""
    result = actor.rate(rating, **inputs)
    missing = f"; missing: {result.advice}" if result.advice else ""
    return said(session, result, f"{result.stars} of {result.of} stars ({shown(result.measure)}){missing}")


@command(THEME, "start_rating ana dive")
def start_rating(session: Session, actor: ActorName, rating: RatingName, /, **inputs: Input) -> str:
    """Measures a rating from now on."""
    return said(session, actor.start_rating(rating, **inputs), f"{rating} is measured from now on")


@command(THEME, "match start salvage_race")
def match(
    session: Session,
    what: Annotated[str, choice("start", "end", "pause", "resume")],
    name: MatchName = "",
) -> str:
    """Starts, ends, pauses or resumes a match."""
    if not name:
        running = [found for found, match in session.world.matches.items() if match.running]
        if what == "start" or len(running) != 1:
            trouble = "which match?" if running or what == "start" else "no match is running"
            raise UsageError(f"NAME is missing: {trouble} ({', '.join(session.design.tables.matches)})")
        name = running[0]
    found = session.world.match(name)
    result: Result = getattr(found, what)()
    table = ", ".join(f"{place.side} {place.score}" for place in found.standings)
    text = f"{name} {what}s"
    text += f": {table}" if table and what != "start" else ""
    text += f", won by {found.winner}" if found.winner else ""
    return said(session, result, text)
