"""Cleaver: player progression for games, from health and damage to quests and saves.

A ten-line tour::

    import cleaver

    design = cleaver.load_design("lanternreef.toml")
    world = cleaver.World(design, seed=7)
    ana = world.join("diver", "ana")
    eel = world.spawn("eel")
    hit = eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    print(hit.explain())                  # 9 × 3 visor × 0.5 venom − 1 armour = 12.5
    world.advance(3)                      # the venom works
    print(ana["suit"].value)              # 71.5
    print(cleaver.hud.Bar(ana, "suit").text)
"""

from cleaver import hud
from cleaver.core.books import Books
from cleaver.core.delivery import Listening
from cleaver.core.events import Fact
from cleaver.core.handles import Actor
from cleaver.core.profile import Profile
from cleaver.core.results import ChangeResult, ExchangeResult, HealResult, HitResult, QuestResult, RateResult, Result
from cleaver.core.views import Bag, Goal, Match, MeterView, Placement, Purse, Quest, QuestLog
from cleaver.core.world import World
from cleaver.design.design import Design, load_design, schema
from cleaver.errors import (
    AmountError,
    BusyError,
    CleaverError,
    DesignError,
    FormulaError,
    GoneError,
    MigrationError,
    MissingExtraError,
    Problem,
    ProfileBusyError,
    ProfileDamagedError,
    ProfileStaleError,
    ProfileTooNewError,
    ReactionError,
    RunawayRulesError,
    SaveError,
    ScriptError,
    SnapshotError,
    StoreCorruptError,
    StoreReadOnlyError,
    StoreUnavailableError,
    UnknownNameError,
    UsageError,
)
from cleaver.opening import open_store

__all__ = [
    "Actor",
    "AmountError",
    "Bag",
    "Books",
    "BusyError",
    "ChangeResult",
    "CleaverError",
    "Design",
    "DesignError",
    "ExchangeResult",
    "Fact",
    "FormulaError",
    "Goal",
    "GoneError",
    "HealResult",
    "HitResult",
    "Listening",
    "Match",
    "MeterView",
    "MigrationError",
    "MissingExtraError",
    "Placement",
    "Problem",
    "Profile",
    "ProfileBusyError",
    "ProfileDamagedError",
    "ProfileStaleError",
    "ProfileTooNewError",
    "Purse",
    "Quest",
    "QuestLog",
    "QuestResult",
    "RateResult",
    "ReactionError",
    "Result",
    "RunawayRulesError",
    "SaveError",
    "ScriptError",
    "SnapshotError",
    "StoreCorruptError",
    "StoreReadOnlyError",
    "StoreUnavailableError",
    "UnknownNameError",
    "UsageError",
    "World",
    "hud",
    "load_design",
    "open_store",
    "schema",
]
