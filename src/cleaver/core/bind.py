"""Bind: a design made ready for play, its formulas compiled once.

One section a topic, each made by the kinds of that topic. The work is done once per design, and all its
worlds share the result. What a path reads is passed in (`names.reader`). Start at `bind`.
"""

from __future__ import annotations

from cleaver.core.contests.kinds import ContestKinds
from cleaver.core.goods.kinds import GoodsKinds
from cleaver.core.kernel.actor_kinds import ActorKind, StatusKind
from cleaver.core.kernel.binder import NOTHING, Binder
from cleaver.core.kernel.expressions import MakeReader
from cleaver.core.kernel.kinds import Kinds, RuleKind, rule_kinds
from cleaver.core.quests.kinds import QuestKinds
from cleaver.core.stats.kinds import StatKinds

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.core.kernel.binder import Made
    from cleaver.core.kernel.expressions import Expression
    from cleaver.design.design import Design


class BoundDesign(Kinds):
    """Everything a world needs of its design."""

    __slots__ = ("contests", "goods", "made", "quests", "stats", "turn_order")
    goods: GoodsKinds
    made: dict[tuple[str, str], Made]
    contests: ContestKinds
    quests: QuestKinds
    stats: StatKinds
    turn_order: Expression | None

    def __init__(self, design: Design, make_reader: MakeReader, before: BoundDesign | None = None) -> None:
        like = before if before is not None and before.known.same_as(design.known) else None
        super().__init__(design, make_reader, like)
        tables = design.tables
        week_start = tables.game.week_start
        kept = like is not None and like.design.tables.game.week_start == week_start and like.made
        made = kept or NOTHING
        binder = Binder(self.known, self.events, make_reader, made, week_start)
        # clocks
        self.turn_order = binder.expression(tables.game.turn_order, "game.turn_order", ("self",))
        # vitals
        self.actors: dict[str, ActorKind] = binder.each(
            "actors", tables.actors, lambda name, actor: ActorKind(name, actor, binder)
        )
        self.statuses: dict[str, StatusKind] = binder.each(
            "statuses", tables.statuses, lambda name, status: StatusKind(name, status, binder)
        )
        # stats
        self.stats = StatKinds(tables, self.actors, self.statuses, binder)
        # goods
        self.goods = GoodsKinds(tables, binder)
        # rules
        self.rules: tuple[RuleKind, ...] = binder.once(
            "rules", "", tables.rules, lambda: rule_kinds(tables.rules, "rules", binder)
        )
        # contests
        self.contests = ContestKinds(tables, binder)
        self.tally(self.contests.tallies())
        # quests
        self.quests = QuestKinds(tables, binder)
        self.tally(self.quests.tallies())
        self.lucks: tuple[str, ...] = tuple(binder.lucks)
        self.made = binder.made


def bind(design: Design, make_reader: MakeReader, before: BoundDesign | None = None) -> BoundDesign:
    """Return *design* bound for play; the work is done once per design, and what it has in common with
    another one, *before*, is taken from there."""
    if design.bound is None:
        design.bound = BoundDesign(design, make_reader, before)
    found: BoundDesign = design.bound
    return found
