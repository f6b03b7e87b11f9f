"""Kinds of quests: quests, their sets and achievements of a design, bound for play. Start at `QuestKinds`."""

from __future__ import annotations

from cleaver.core.kernel.expressions import Amount, Effects, Expression
from cleaver.core.kernel.kinds import TallyKind
from cleaver.core.kernel.spans import Periods, as_span, days_of
from cleaver.design import models

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.binder import Binder

    Days = tuple[int, int]


class GoalKind:
    """One goal of a quest: a tally, or something held."""

    __slots__ = (
        "count",
        "hand_over",
        "hidden",
        "hold",
        "name",
        "optional",
        "reward",
        "tally",
        "text",
        "what",
    )
    name: str
    what: str
    tally: TallyKind | None
    hold: str
    hand_over: bool
    optional: bool
    hidden: bool
    reward: Effects
    text: str

    def __init__(self, goal: models.Goal, path: str, bind: Binder) -> None:
        self.tally = TallyKind(goal, path, bind) if goal.on else None
        self.name = goal.name or ""
        self.what = self.tally.written if self.tally is not None else f"hold {goal.hold}"
        self.hold, self.hand_over, self.optional, self.hidden = (
            goal.hold or "",
            goal.hand_over,
            goal.optional,
            goal.hidden,
        )
        self.reward = bind.effects(goal.reward, f"{path}.reward")
        count = 1 if goal.count is None else goal.count
        self.count: Amount | str = "all" if count == "all" else bind.amount(count, f"{path}.count", ("self",))
        self.text = goal.text or (
            f"{goal.on} {goal.of or ''}".strip() if goal.on else f"hold {self.hold}"
        ).replace("_", " ")


class QuestKind:
    """A quest."""

    __slots__ = (
        "by_week",
        "fails",
        "finish",
        "giver",
        "goals",
        "in_turn",
        "name",
        "needs",
        "needs_goals",
        "open",
        "repeat",
        "repeat_days",
        "reward",
        "says",
        "text",
        "time_limit",
        "title",
        "turn_in_lasts",
    )
    name: str
    title: str
    text: str
    giver: str
    needs: tuple[Expression, ...]
    goals: tuple[GoalKind, ...]
    by_week: bool
    in_turn: bool
    needs_goals: int
    reward: Effects
    fails: tuple[TallyKind, ...]
    turn_in_lasts: int
    time_limit: int
    open: Days | None
    repeat: int
    repeat_days: Periods | None
    """After how many days it comes back, or, beginning with a certain day, in which of their periods."""
    finish: str

    def __init__(self, name: str, quest: models.Quest, bind: Binder) -> None:
        path = f"quests.{name}"
        self.name, self.title, self.text, self.giver = (
            name,
            quest.title or name.replace("_", " "),
            quest.text,
            quest.giver,
        )
        self.needs = bind.conditions(quest.needs, f"{path}.needs", roots=("self",))
        self.goals = tuple(
            GoalKind(goal, f"{path}.goals[{number + 1}]", bind) for number, goal in enumerate(quest.goals)
        )
        self.in_turn, self.finish, self.needs_goals = (
            quest.order == "in_turn",
            quest.finish,
            quest.needs_goals or 0,
        )
        self.reward = bind.effects(quest.reward, f"{path}.reward")
        self.fails = tuple(
            TallyKind(fail, f"{path}.fails[{number + 1}]", bind) for number, fail in enumerate(quest.fails)
        )
        self.says: dict[str, tuple[str, ...]] = {str(state): lines for state, lines in quest.says.items()}
        self.turn_in_lasts = as_span(quest.turn_in_lasts)
        self.time_limit = as_span(quest.time_limit) if quest.time_limit is not None else 0
        self.repeat = as_span(quest.repeat) if isinstance(quest.repeat, float) else -1
        days = quest.repeat if isinstance(quest.repeat, models.Days) else None
        self.repeat_days = None if days is None else bind.periods(days)
        self.by_week = days is not None and days.on == "week"
        self.open = days_of(quest.open)


class QuestSetKind:
    """A set of quests of which some are drawn."""

    __slots__ = ("days", "draw", "every", "open", "quests")
    quests: tuple[str, ...]
    draw: int
    every: int
    days: Periods | None
    open: Days | None

    def __init__(self, table: models.QuestSet, bind: Binder) -> None:
        self.quests, self.draw, self.every = (
            table.quests,
            table.draw,
            as_span(table.every) if table.every is not None else 0,
        )
        days = None if table.days is None else models.Days(days=table.days, on=table.on)
        self.days = None if days is None else bind.periods(days)
        self.open = days_of(table.open)


class AchievementKind:
    """Something achieved once: its ranks with their counts; one without ranks has the rank ""."""

    __slots__ = ("hidden", "icon", "name", "ranks", "reward", "tally", "text", "title")
    name: str
    title: str
    text: str
    icon: str
    hidden: bool
    tally: TallyKind | None
    reward: Effects

    def __init__(self, name: str, achievement: models.Achievement, bind: Binder) -> None:
        path = f"achievements.{name}"
        self.name, self.title, self.text, self.icon, self.hidden = (
            name,
            achievement.title or name.replace("_", " "),
            achievement.text,
            achievement.icon,
            achievement.hidden,
        )
        self.tally = TallyKind(achievement, path, bind) if achievement.on else None
        count = bind.amount(1 if achievement.count is None else achievement.count, f"{path}.count", ("self",))
        self.ranks: dict[str, Amount] = dict(achievement.ranks) or {"": count}
        self.reward = bind.effects(achievement.reward, f"{path}.reward")


class QuestKinds:
    """The quests and achievements of a design, by name."""

    __slots__ = ("achievements", "quest_sets", "quests")
    quests: dict[str, QuestKind]
    quest_sets: dict[str, QuestSetKind]
    achievements: dict[str, AchievementKind]

    def __init__(self, tables: models.DesignTables, bind: Binder) -> None:
        self.quests = bind.each("quests", tables.quests, lambda name, one: QuestKind(name, one, bind))
        self.quest_sets = {name: QuestSetKind(table, bind) for name, table in tables.quest_sets.items()}
        self.achievements = bind.each(
            "achievements", tables.achievements, lambda name, one: AchievementKind(name, one, bind)
        )

    def tallies(self) -> list[TallyKind]:
        """Return all that is counted for them."""
        quests = self.quests.values()
        goals = [goal.tally for quest in quests for goal in quest.goals if goal.tally is not None]
        fails = [fail for quest in quests for fail in quest.fails]
        achievements = [kind.tally for kind in self.achievements.values() if kind.tally is not None]
        return [*goals, *fails, *achievements]
