"""A class for each event, for type checkers: at run time events are `Event`s with the same fields.

Written by docs/reference.py from `design.vocabulary`; change that instead.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Literal, overload

from cleaver.core.kernel.events import Event, EventBase

if TYPE_CHECKING:
    from cleaver.core.kernel.delivery import Listening

# fmt: off
__all__ = (
    "Achieved", "Adjusted", "Adopted", "Collected", "Crossed", "DailyVisit", "Damaged", "DayBegan",
    "Defeated", "Deflected", "Departed", "Died", "Drained", "Earned", "Emptied", "Event", "EventBase",
    "Exchanged", "Filled", "Gained", "GoalAdvanced", "GoalMet", "Healed", "Joined", "Launched", "Levelled",
    "LifeLost", "Loaded", "Lost", "MatchEnded", "MatchStarted", "Mended", "Missed", "OutOfLives", "Owed",
    "Placed", "QuestAbandoned", "QuestAvailable", "QuestCompleted", "QuestFailed", "QuestReady",
    "QuestStarted", "Rated", "Reappeared", "Respawned", "Restarted", "RoundEnded", "Saved", "Scored", "Spent",
    "StageEntered", "StageLeft", "StatChanged", "StatusBegan", "StatusEnded", "Struck", "Tagged", "TakenOff",
    "TeamChanged", "Traded", "TurnBegan", "TurnEnded", "TurnRoundBegan", "Untagged", "Used", "Vanished",
    "Worn", "XpGained",
)

class Damaged(EventBase):
    """The event `damaged`."""
    amount: float
    absorbed: float
    overkill: float
    meter: str
    type: str
    zone: str
    attack: str
    critical: bool
    before: float
    after: float
class Deflected(EventBase):
    """The event `deflected`."""
    type: str
    zone: str
    attack: str
class Healed(EventBase):
    """The event `healed`."""
    meter: str
    amount: float
    asked: float
    before: float
    after: float
class Drained(EventBase):
    """The event `drained`."""
    meter: str
    amount: float
    asked: float
    before: float
    after: float
class Died(EventBase):
    """The event `died`."""
    attack: str
    type: str
    overkill: float
class Launched(EventBase):
    """The event `launched`."""
    attack: str
    shot: str
class LifeLost(EventBase):
    """The event `life_lost`."""
    lives: float
class OutOfLives(EventBase):
    """The event `out_of_lives`."""
    lives: float
class Respawned(EventBase):
    """The event `respawned`."""
    place: str
class Emptied(EventBase):
    """The event `emptied`."""
    meter: str
class Filled(EventBase):
    """The event `filled`."""
    meter: str
class Crossed(EventBase):
    """The event `crossed`."""
    meter: str
    mark: str
    way: str
class Adjusted(EventBase):
    """The event `adjusted`."""
    meter: str
    part: str
    before: float
    after: float
class StatusBegan(EventBase):
    """The event `status_began`."""
    status: str
class StatusEnded(EventBase):
    """The event `status_ended`."""
    status: str
    why: str
class Tagged(EventBase):
    """The event `tagged`."""
    tag: str
class Untagged(EventBase):
    """The event `untagged`."""
    tag: str
class Placed(EventBase):
    """The event `placed`."""
    pickup: str
    placement: str
class Collected(EventBase):
    """The event `collected`."""
    pickup: str
    placement: str
class Worn(EventBase):
    """The event `worn`."""
    item: str
    slot: str
    instead: str
class TakenOff(EventBase):
    """The event `taken_off`."""
    item: str
    slot: str
    why: str
class StatChanged(EventBase):
    """The event `stat_changed`."""
    stat: str
    before: float
    after: float
    reason: str
class Used(EventBase):
    """The event `used`."""
    ability: str
    target: str
class Reappeared(EventBase):
    """The event `reappeared`."""
    pickup: str
    placement: str
class Vanished(EventBase):
    """The event `vanished`."""
    pickup: str
    placement: str
class Gained(EventBase):
    """The event `gained`."""
    item: str
    amount: float
    reason: str
    held: float
class Lost(EventBase):
    """The event `lost`."""
    item: str
    amount: float
    reason: str
    held: float
class Missed(EventBase):
    """The event `missed`."""
    item: str
    amount: float
    reason: str
class Owed(EventBase):
    """The event `owed`."""
    item: str
    amount: float
    reason: str
class Earned(EventBase):
    """The event `earned`."""
    currency: str
    amount: float
    reason: str
    balance: float
    over: float
class Spent(EventBase):
    """The event `spent`."""
    currency: str
    amount: float
    reason: str
    balance: float
class Exchanged(EventBase):
    """The event `exchanged`."""
    exchange: str
    times: float
class Traded(EventBase):
    """The event `traded`."""
class Scored(EventBase):
    """The event `scored`."""
    amount: float
    score: float
    team: str
    match: str
class MatchStarted(EventBase):
    """The event `match_started`."""
    match: str
class MatchEnded(EventBase):
    """The event `match_ended`."""
    match: str
    winner: str
class RoundEnded(EventBase):
    """The event `round_ended`."""
    match: str
    round: float
    winner: str
class TeamChanged(EventBase):
    """The event `team_changed`."""
    team: str
    before: str
class TurnRoundBegan(EventBase):
    """The event `turn_round_began`."""
    round: float
class TurnBegan(EventBase):
    """The event `turn_began`."""
    round: float
    turn: float
class TurnEnded(EventBase):
    """The event `turn_ended`."""
    why: str
class DayBegan(EventBase):
    """The event `day_began`."""
    day: float
class DailyVisit(EventBase):
    """The event `daily_visit`."""
    day: float
class StageEntered(EventBase):
    """The event `stage_entered`."""
    stage: str
class StageLeft(EventBase):
    """The event `stage_left`."""
    stage: str
class Restarted(EventBase):
    """The event `restarted`."""
class Rated(EventBase):
    """The event `rated`."""
    rating: str
    stars: float
    of: float
    measure: float
    best: float
class XpGained(EventBase):
    """The event `xp_gained`."""
    levels: str
    amount: float
    total: float
class Levelled(EventBase):
    """The event `levelled`."""
    levels: str
    level: float
class QuestAvailable(EventBase):
    """The event `quest_available`."""
    quest: str
class QuestStarted(EventBase):
    """The event `quest_started`."""
    quest: str
class QuestReady(EventBase):
    """The event `quest_ready`."""
    quest: str
class QuestCompleted(EventBase):
    """The event `quest_completed`."""
    quest: str
class QuestFailed(EventBase):
    """The event `quest_failed`."""
    quest: str
class QuestAbandoned(EventBase):
    """The event `quest_abandoned`."""
    quest: str
class GoalAdvanced(EventBase):
    """The event `goal_advanced`."""
    quest: str
    goal: str
    progress: float
    count: float
class GoalMet(EventBase):
    """The event `goal_met`."""
    quest: str
    goal: str
    progress: float
    count: float
class Achieved(EventBase):
    """The event `achieved`."""
    achievement: str
    rank: str
class Joined(EventBase):
    """The event `joined`."""
class Departed(EventBase):
    """The event `departed`."""
class Saved(EventBase):
    """The event `saved`."""
    revision: float
class Loaded(EventBase):
    """The event `loaded`."""
class Adopted(EventBase):
    """The event `adopted`."""
class Defeated(EventBase):
    """The event `defeated`, died seen from the other side."""
    attack: str
    type: str
    overkill: float
class Struck(EventBase):
    """The event `struck`, damaged seen from the other side."""
    amount: float
    absorbed: float
    overkill: float
    meter: str
    type: str
    zone: str
    attack: str
    critical: bool
    before: float
    after: float
class Mended(EventBase):
    """The event `mended`, healed seen from the other side."""
    meter: str
    amount: float
    asked: float
    before: float
    after: float

class Listens:
    """What `listen` takes: for each event by its name, a call with that event."""

    @overload
    def listen(self, event: Literal["damaged"], call: Callable[[Damaged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["deflected"], call: Callable[[Deflected], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["healed"], call: Callable[[Healed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["drained"], call: Callable[[Drained], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["died"], call: Callable[[Died], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["launched"], call: Callable[[Launched], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["life_lost"], call: Callable[[LifeLost], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["out_of_lives"], call: Callable[[OutOfLives], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["respawned"], call: Callable[[Respawned], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["emptied"], call: Callable[[Emptied], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["filled"], call: Callable[[Filled], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["crossed"], call: Callable[[Crossed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["adjusted"], call: Callable[[Adjusted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["status_began"], call: Callable[[StatusBegan], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["status_ended"], call: Callable[[StatusEnded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["tagged"], call: Callable[[Tagged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["untagged"], call: Callable[[Untagged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["placed"], call: Callable[[Placed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["collected"], call: Callable[[Collected], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["worn"], call: Callable[[Worn], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["taken_off"], call: Callable[[TakenOff], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["stat_changed"], call: Callable[[StatChanged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["used"], call: Callable[[Used], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["reappeared"], call: Callable[[Reappeared], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["vanished"], call: Callable[[Vanished], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["gained"], call: Callable[[Gained], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["lost"], call: Callable[[Lost], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["missed"], call: Callable[[Missed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["owed"], call: Callable[[Owed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["earned"], call: Callable[[Earned], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["spent"], call: Callable[[Spent], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["exchanged"], call: Callable[[Exchanged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["traded"], call: Callable[[Traded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["scored"], call: Callable[[Scored], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["match_started"], call: Callable[[MatchStarted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["match_ended"], call: Callable[[MatchEnded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["round_ended"], call: Callable[[RoundEnded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["team_changed"], call: Callable[[TeamChanged], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["turn_round_began"], call: Callable[[TurnRoundBegan], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["turn_began"], call: Callable[[TurnBegan], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["turn_ended"], call: Callable[[TurnEnded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["day_began"], call: Callable[[DayBegan], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["daily_visit"], call: Callable[[DailyVisit], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["stage_entered"], call: Callable[[StageEntered], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["stage_left"], call: Callable[[StageLeft], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["restarted"], call: Callable[[Restarted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["rated"], call: Callable[[Rated], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["xp_gained"], call: Callable[[XpGained], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["levelled"], call: Callable[[Levelled], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_available"], call: Callable[[QuestAvailable], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_started"], call: Callable[[QuestStarted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_ready"], call: Callable[[QuestReady], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_completed"], call: Callable[[QuestCompleted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_failed"], call: Callable[[QuestFailed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["quest_abandoned"], call: Callable[[QuestAbandoned], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["goal_advanced"], call: Callable[[GoalAdvanced], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["goal_met"], call: Callable[[GoalMet], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["achieved"], call: Callable[[Achieved], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["joined"], call: Callable[[Joined], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["departed"], call: Callable[[Departed], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["saved"], call: Callable[[Saved], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["loaded"], call: Callable[[Loaded], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["adopted"], call: Callable[[Adopted], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["defeated"], call: Callable[[Defeated], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["struck"], call: Callable[[Struck], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    @overload
    def listen(self, event: Literal["mended"], call: Callable[[Mended], Any], *, actor: Any = "", kind: str = "") -> Listening: ...
    def listen(self, event: str, call: Any, *, actor: Any = "", kind: str = "") -> Listening:
        """See `World.listen_own`, which takes an event of any name."""
        raise NotImplementedError
