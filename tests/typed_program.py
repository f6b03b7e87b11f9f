"""A program as a user writes it: strict in a type checker, without `Any`. `project/test_typing.py` checks it."""

from __future__ import annotations

import cleaver
from cleaver import sample
from cleaver.events import Collected, Damaged, EventBase, QuestCompleted, Scored


class Display:
    """What a window would draw, kept up to date by listeners."""

    def __init__(self, world: cleaver.World, player: cleaver.Actor) -> None:
        self.world = world
        self.player = player
        self.bar = cleaver.hud.Bar(player, "suit", ghost=0.4)
        self.lines: list[str] = []
        world.listen("damaged", self.on_damaged, actor=player)
        world.listen("collected", self.on_collected)
        world.listen("scored", self.on_scored)
        world.listen("quest_completed", self.on_completed)
        world.listen("died", self.on_any)
        world.listen("departed", self.on_any)
        world.listen_own("reached", lambda event: self.lines.append(f"reached {event.place}"))

    def on_damaged(self, event: Damaged) -> None:
        """Show how much was lost, and where."""
        where = f" in the {event.zone}" if event.zone else ""
        self.lines.append(f"−{event.amount + event.absorbed:g}{where}{'!' if event.critical else ''}")

    def on_collected(self, event: Collected) -> None:
        """Show what was picked up."""
        self.lines.append(f"{event.pickup} ({event.placement}) at {event.time:g} s")

    def on_scored(self, event: Scored) -> None:
        """Show the points."""
        self.lines.append(f"+{event.amount:g}, {event.score:g} in all")

    def on_completed(self, event: QuestCompleted) -> None:
        """Show which quest was completed."""
        self.lines.append(f"{event.quest} is completed")

    def on_any(self, event: EventBase) -> None:
        """Show that somebody is gone."""
        self.lines.append(f"{event.actor} is gone")

    def status(self) -> str:
        """Return one line about the player."""
        purse = ", ".join(f"{name} {amount}" for name, amount in self.player.purse.items())
        rank = self.player.levels["rank"]
        return f"{self.bar.text}, {purse}, rank {rank} ({rank.left} to the next), bag {self.player.bag.left}"


def main() -> list[str]:
    """Play a few moments of the sample game, and return what was shown."""
    world = cleaver.World(cleaver.load_design(sample.path("lanternreef.toml")), seed=7)
    ana = world.join("diver", "ana", team="north")
    eel = world.spawn("eel")
    display = Display(world, ana)
    pearl = world.place("pearl")
    hit = eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    taken = ana.take(pearl)
    world.advance(1.5)
    blocked: str = taken.blocked or hit.blocked
    stars: int = ana.ratings["dive"].best
    deepest: float = ana.records["damage_taken"]
    return [*display.lines, display.status(), f"{blocked or 'nothing refused'}, {stars} stars, {deepest:g}"]
