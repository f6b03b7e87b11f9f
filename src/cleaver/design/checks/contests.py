"""Checks of rules, matches, ratings and levels."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from cleaver.design.checks.finding import Told, all_effects, all_rules, rule
from cleaver.design.design import Design
from cleaver.design.lines import Path
from cleaver.design.vocabulary import COUNTED, EVENTS, VERBS


@rule
def endless_match(design: Design) -> Iterable[Told]:
    """A match that nothing can end: no win_at, no win_when, no time_limit. Only your game could end it."""
    for name, match in design.tables.matches.items():
        if match.win_at is None and match.win_when is None and match.time_limit is None:
            yield ("matches", name), "has no end", "give it win_at, win_when or a time_limit"
        elif match.win_at is not None and not any(
            effect.verb == "score" for given in match.rules for effect in given.do
        ):
            yield (
                ("matches", name, "win_at"),
                "can never be reached: none of its rules scores",
                "give it a rule that scores",
            )


@rule
def single_team_match(design: Design) -> Iterable[Told]:
    """A match between teams that names only one of them."""
    for name, match in design.tables.matches.items():
        if len(match.teams) == 1:
            yield (
                ("matches", name, "teams"),
                f"only {match.teams[0]} takes part",
                "name the other teams, or leave teams out for single players",
            )


@rule
def nothing_to_collect(design: Design) -> Iterable[Told]:
    """A match for all there is, of a pickup that does not exist: an empty set is never won."""
    for name, match in design.tables.matches.items():
        if match.win_at == "all" and not design.tables.pickups:
            yield (
                ("matches", name, "win_at"),
                'is "all" of nothing: the design has no pickups',
                "name what is to be collected",
            )


def raised_events(design: Design) -> set[str]:
    """Return the events that something in the design, or the game, can raise."""
    tables = design.tables
    never = {"adopted"}  # only listeners hear of it
    if not tables.statuses:
        never |= {"status_began", "status_ended"}
    if not tables.pickups:
        never |= {"placed", "collected", "reappeared"}
    if not any(effect.verb == "place" and "lasts" in effect.beside for _, effect in all_effects(design)):
        never |= {"vanished"}
    if not any(actor.attacks for actor in tables.actors.values()):
        never |= {"launched"}
    if not tables.stages:
        never |= {"stage_entered", "stage_left", "restarted"}
    if not tables.exchanges:
        never |= {"exchanged"}
    if not (tables.currencies or tables.items):
        never |= {"traded"}
    if not any(actor.lives for actor in tables.actors.values()):
        never |= {"life_lost", "out_of_lives"}
    if not any(meter.marks for actor in tables.actors.values() for meter in actor.meters.values()):
        never |= {"crossed"}
    for section, beginnings in (
        ("levels", ("xp_gained", "levelled")),
        ("ratings", ("rated",)),
        ("matches", ("match_", "round_")),
        ("achievements", ("achieved",)),
        ("quests", ("quest_", "goal_")),
    ):
        if not getattr(tables, section):
            never |= {name for name in EVENTS if name.startswith(beginnings)}
    return set(design.known.events) - never


@rule
def rule_never_matches(design: Design) -> Iterable[Told]:
    """A rule on an event that nothing in this design can raise, or that asks for a party that cannot take
    part in it."""
    raised = raised_events(design)
    dying = {kind for kind, actor in design.tables.actors.items() if actor.vital}
    for path, given in all_rules(design):
        if given.on not in raised:
            yield (
                (*path, "on"),
                f"nothing in this design raises {given.on}",
                "add what raises it, or leave the rule out",
            )
        elif path[0] == "matches" and given.on == "match_ended":
            yield (
                (*path, "on"),
                "comes when the match no longer counts: its own rules hold only while it runs",
                f'write it under [[rules]], with match = "{path[1]}"',
            )
        elif given.on == "defeated" and given.of in design.known.kinds and given.of not in dying:
            yield (
                (*path, "of"),
                f"{given.of} has no vital meter, so it is never defeated",
                "give it a vital meter, or name another kind",
            )


@rule
def scored_twice(design: Design) -> Iterable[Told]:
    """Two rules that score on the same event with the same conditions: each time counts twice."""
    seen: dict[str, Path] = {}
    for path, given in all_rules(design):
        if any(effect.verb == "score" and effect.to in (None, "self") for effect in given.do):
            place = path[:2] if path[0] == "matches" else path[:1]
            key = repr((place, given.on, given.of, given.where, sorted(given.fields().items())))
            if key in seen:
                first = ".".join(str(part + 1) if isinstance(part, int) else part for part in seen[key])
                yield (
                    path,
                    f"scores on the same as {first}",
                    "put both scores into one rule, or tell them apart",
                )
            seen[key] = path


@rule
def repeated_announce(design: Design) -> Iterable[Told]:
    """A rule that scores or pays on an event that your game announces: announced on every frame, it would
    pay on every frame."""
    for path, given in all_rules(design):
        if given.on in design.tables.events and any(
            VERBS[effect.verb].gives in (*COUNTED, "lives") for effect in given.do
        ):
            yield (
                path,
                f"pays each time {given.on} is announced",
                "let your game set a tag, and pay on `tagged`; it comes only when it changes",
            )


def most_given(design: Design, verb: str, name: str = "") -> float | None:
    """Return the most of something that can ever be given: where it only comes from what happens once
    (quests, achievements); None where it can come again."""
    total = 0.0
    for path, effect in all_effects(design):
        if effect.verb != verb or (name and effect.operand != name):
            continue
        amount = effect.beside.get("amount", effect.operand)
        quest = design.tables.quests.get(str(path[1])) if path[0] == "quests" else None
        once = path[0] == "achievements" or (
            quest is not None
            and quest.repeat is None
            and not any(str(path[1]) in table.quests for table in design.tables.quest_sets.values())
        )
        if not once or isinstance(amount, str):
            return None
        total += amount
    return total


@rule
def rating_out_of_reach(design: Design) -> Iterable[Told]:
    """A rating by score whose last star asks for more than all that can ever be scored."""
    most = most_given(design, "score")
    for name, rating in design.tables.ratings.items():
        if (
            rating.measure == "self.score"
            and most is not None
            and rating.better == "higher"
            and rating.steps
            and rating.steps[-1] > most
        ):
            yield (
                ("ratings", name, "steps"),
                f"asks for {rating.steps[-1]:g}, and all there is to score is {most:g}",
                "let something score, or ask for less",
            )


@rule
def level_out_of_reach(design: Design) -> Iterable[Told]:
    """A ladder of levels of which not even the second can be reached with all the experience the design
    gives."""
    for name, ladder in design.tables.levels.items():
        most = most_given(design, "xp", name)
        needed = sum(ladder.experience) if not isinstance(ladder.experience, str) else 1
        if most is not None and most < needed:
            yield (
                ("levels", name),
                f"asks for {needed} experience, and all there is to gain is {most:g}",
                "give more where it is earned, or ask for less",
            )


@rule
def steps_too_close(design: Design) -> Iterable[Told]:
    """Experience that falls from one level to the next: a mistake in the formula or the table."""
    for name, ladder in design.tables.levels.items():
        if not isinstance(ladder.experience, str):
            for number, (one, two) in enumerate(pairwise(ladder.experience)):
                if two < one:
                    yield (
                        ("levels", name, "experience", number + 1),
                        f"asks for {two} after {one}",
                        "let each step be at least the one before",
                    )


@rule
def empty_team(design: Design) -> Iterable[Told]:
    """A team that no match names and nothing asks about, in a design whose matches name others."""
    named = {team for match in design.tables.matches.values() for team in match.teams}
    for team in design.tables.teams:
        if (
            named
            and team not in named
            and not any(team in pickup.for_ for pickup in design.tables.pickups.values())
        ):
            yield ("teams", team), "takes part in no match", "name it in a match, or leave it out"
