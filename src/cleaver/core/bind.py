"""Bind: a design made ready for play, its formulas compiled once.

One section a topic, each made by the kinds of that topic. The work is done once per design, and all its
worlds share the result. What a path reads is passed in (`names.reader`). Start at `bind`.
"""

from __future__ import annotations

from cleaver.core.contests.kinds import ContestKinds
from cleaver.core.goods.kinds import GoodsKinds
from cleaver.core.kernel.actor_kinds import ActorKind, StatusKind
from cleaver.core.kernel.binder import Binder
from cleaver.core.kernel.expressions import MakeReader
from cleaver.core.kernel.kinds import Kinds, RuleKind, rule_kinds
from cleaver.core.quests.kinds import QuestKinds

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from cleaver.design.design import Design


class BoundDesign(Kinds):
    """Everything a world needs of its design."""

    __slots__ = ("contests", "goods", "quests")
    goods: GoodsKinds
    contests: ContestKinds
    quests: QuestKinds

    def __init__(self, design: Design, make_reader: MakeReader) -> None:
        super().__init__(design, make_reader)
        tables = design.tables
        binder = Binder(design.known, self.events, make_reader)
        # vitals
        self.actors: dict[str, ActorKind] = {
            name: ActorKind(name, actor, binder) for name, actor in tables.actors.items()
        }
        self.statuses: dict[str, StatusKind] = {
            name: StatusKind(name, status, binder) for name, status in tables.statuses.items()
        }
        # goods
        self.goods = GoodsKinds(tables, binder)
        # rules
        self.rules: tuple[RuleKind, ...] = rule_kinds(tables.rules, "rules", binder)
        # contests
        self.contests = ContestKinds(tables, binder)
        self.tally(self.contests.tallies())
        # quests
        self.quests = QuestKinds(tables, binder)
        self.tally(self.quests.tallies())
        self.lucks: tuple[str, ...] = tuple(binder.lucks)


def bind(design: Design, make_reader: MakeReader) -> BoundDesign:
    """Return *design* bound for play; the work is done once per design."""
    if design.bound is None:
        design.bound = BoundDesign(design, make_reader)
    found: BoundDesign = design.bound
    return found
