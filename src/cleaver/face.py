"""Face: every name that `import cleaver` gives, from the part that owns it.

Stands apart from `cleaver/__init__.py` so that the command line, which imports that one too, answers `--help`
without loading a world.
"""

from cleaver.core.adoption import Adoption
from cleaver.core.clocks.calendar import day_of
from cleaver.core.goods.books import Books
from cleaver.core.handles import Actor
from cleaver.core.kernel.delivery import Listening
from cleaver.core.kernel.events import Event
from cleaver.core.kernel.later import Later
from cleaver.core.kernel.results import (
    ChangeResult,
    ExchangeResult,
    HealResult,
    HitResult,
    QuestResult,
    RateResult,
    Result,
    TalkResult,
    TradeResult,
)
from cleaver.core.logs import Bag, Goal, Purse, Quest, QuestLog
from cleaver.core.profile import Profile
from cleaver.core.shot import Shot
from cleaver.core.views import Match, MeterView, Placement
from cleaver.core.world import World
from cleaver.design.design import Design, load_design, schema
from cleaver.design.watch import Watch
from cleaver.errors import (
    AmountError,
    BaselineError,
    BusyError,
    CleaverError,
    DesignError,
    DesignFileError,
    FormulaError,
    GoneError,
    InUseError,
    MigrationError,
    MissingExtraError,
    Problem,
    ProfileBusyError,
    ProfileDamagedError,
    ProfileError,
    ProfileStaleError,
    ProfileTooNewError,
    ReactionError,
    RunawayRulesError,
    SaveError,
    ScriptError,
    SnapshotError,
    StoreBusyError,
    StoreCorruptError,
    StoreReadOnlyError,
    StoreUnavailableError,
    UnknownNameError,
    UsageError,
)
from cleaver.opening import journal, open_store

TYPE_CHECKING = False
if TYPE_CHECKING:
    import cleaver.hud as hud  # at run time it comes when it is asked for; see `cleaver/__init__.py`

__all__ = [
    "Actor",
    "Adoption",
    "AmountError",
    "Bag",
    "BaselineError",
    "Books",
    "BusyError",
    "ChangeResult",
    "CleaverError",
    "Design",
    "DesignError",
    "DesignFileError",
    "Event",
    "ExchangeResult",
    "FormulaError",
    "Goal",
    "GoneError",
    "HealResult",
    "HitResult",
    "InUseError",
    "Later",
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
    "ProfileError",
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
    "Shot",
    "SnapshotError",
    "StoreBusyError",
    "StoreCorruptError",
    "StoreReadOnlyError",
    "StoreUnavailableError",
    "TalkResult",
    "TradeResult",
    "UnknownNameError",
    "UsageError",
    "Watch",
    "World",
    "day_of",
    "hud",
    "journal",
    "load_design",
    "open_store",
    "schema",
]
