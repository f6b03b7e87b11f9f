"""Planted faults: each a small edit of the library that the tests must notice. `plant.py` tries them; `test_mutants` that each still fits."""

from __future__ import annotations

from typing import NamedTuple


class Edit(NamedTuple):
    """One fault: its name, the file below `src/cleaver`, the text that stands there once, and what is put in its place."""

    name: str
    file: str
    old: str
    new: str


EDITS = (
    # hits
    Edit("the quick hit forgets grace", "core/vitals/hits.py", "            if form.grace:\n                target.grace = now + form.grace\n", ""),
    Edit("a hit forgets when it was", "core/vitals/hits.py", "        target.hurt_at = stage.clock.now\n", ""),
    Edit("a forced critical draws nothing", "core/vitals/hits.py", "                drawn = stage.dice.draw(source._luck) < chance\n                critical = drawn if crit is None else crit",
         "                critical = stage.dice.draw(source._luck) < chance if crit is None else crit"),
    Edit("armour before the zone", "core/vitals/hits.py", "        if self.zone:\n            amount *= self.zone_factor\n        if times != 1:", "        if times != 1:"),
    Edit("a poison gives grace", "core/vitals/hits.py", "if guard.grace and not blow.pulse:", "if guard.grace:"),
    Edit("the quick hit ignores cooldowns", "core/vitals/hits.py", "        if form.cooldown:\n            self.cool(source, form.attack, target)\n", ""),
    Edit("inputs stay behind", "core/vitals/hits.py", "        if given:\n            stage.given = inputs\n", ""),
    Edit("the dead hit", "core/vitals/hits.py", "if not source.alive and not late:", "if False:"),
    Edit("friendly fire hurts oneself less", "core/vitals/hits.py", "if source is not None and source is not target and source.team and source.team == target.team and",
         "if source is not None and source.team and source.team == target.team and"),
    Edit("shields do not pay what they absorb", "core/vitals/hits.py", "                left -= taken\n                absorbed += taken\n", "                absorbed += taken\n"),
    Edit("a whole shield loses a fraction rounded down", "core/vitals/hits.py", 'rounded(taken, "up") if shield', 'rounded(taken, "down") if shield'),
    Edit("the attack's own effects come though nothing was hurt", "core/vitals/hits.py", "if attack is None or not attack.do or event.amount <= 0 or target is None:",
         "if attack is None or not attack.do or target is None:"),
    Edit("the least is forgotten", "core/vitals/hits.py", "if guard.least and amount < guard.least:", "if False and amount < guard.least:"),
    # meters, deaths
    Edit("a step clock starts anew with each hit", "core/vitals/meters.py", "new[key] = old.get(key, self.stage.clock.now + flow.every)", "new[key] = self.stage.clock.now + flow.every"),
    Edit("marks ignore decimal noise no longer", "core/vitals/meters.py", "        slack = top * NOISE\n        return sum", "        slack = 0\n        return sum"),
    Edit("a mark is looked at from a bound only", "core/vitals/meters.py", "        if meter._kind.mark_levels:\n            now_above", "        if meter._kind.mark_levels and after > 0:\n            now_above"),
    Edit("flows that do not work get the credit", "core/vitals/meters.py", "flow.rate < 0 and self._at_work(meter._owner, flow)\n            if at_work and", "flow.rate < 0\n            if at_work and"),
    Edit("a hurt is remembered over a rebirth", "core/vitals/meters.py", "        body.alive, body.hurt_at = True, -1\n        if body.comeback", "        body.alive = True\n        if body.comeback"),
    Edit("cooldowns outlive a death", "core/vitals/meters.py", "        body.cooldowns.clear()\n        for clear in self.before_death:", "        for clear in self.before_death:"),
    Edit("a death takes no life", "core/vitals/meters.py", "body.lives = max(body.lives - 1, 0)", "body.lives = max(body.lives, 0)"),
    Edit("a return after a revive", "core/vitals/meters.py", "        if body is not None and body.comeback is None:\n            self.await_return(body)",
         "        if body is not None and body.comeback is None and not (body._kind.lives and body.lives <= 0):\n            body.alive, now = False, body.alive\n"
         "            self.await_return(body)\n            body.alive = now"),
    Edit("healing goes over the top", "core/vitals/meters.py", "            after = max(cap, before)\n        elif", "            after = before + amount\n        elif"),
    Edit("noise is not snapped", "core/vitals/meters.py", "            after = snapped(after, top)\n        if still", "            pass\n        if still"),
    Edit("a whole meter forgets the fraction it carries", "core/vitals/meters.py", "            carried = self.real(meter) - before\n            if after <= 0", "            carried = 0\n            if after <= 0"),
    Edit("the fraction may empty a meter", "core/vitals/meters.py", "return min(max(rounded(after, kind.mode), least), cap) if kind.whole", "return min(rounded(after, kind.mode), cap) if kind.whole"),
    Edit("the saved maximum stands", "core/vitals/meters.py", "self._become(meter, meter._kind.max + self.raised_by_levels(body, name) + raised, saved", "self._become(meter, meter.max + raised, saved"),
    # statuses
    Edit("a refresh shortens", "core/vitals/statuses.py", "if ailment.due < 0 or (lasts and until <= ailment.due):", "if ailment.due < 0 or (lasts and until == ailment.due):"),
    Edit("extending has no end", "core/vitals/statuses.py", "            until = min(until, now + kind.most * lasts)\n", "            pass\n"),
    Edit("beats outlive their status", "core/vitals/statuses.py", "        for beat in ailment.beats:\n            self.stage.clock.disarm(beat)\n        body.ailments", "        body.ailments"),
    Edit("a paused pulse forgets its place", "core/vitals/statuses.py", "self.stage.clock.arm(beat, now + beat.left)", "self.stage.clock.arm(beat, now + beat._kind.every)"),
    Edit("tags of a status are told twice", "core/vitals/statuses.py", "        before = set(body._words)\n        self.gather(body)", "        before: set[str] = set()\n        self.gather(body)"),
    # goods
    Edit("what is over is earned all the same", "core/goods/goods.py", "paid = amount if held + amount <= most else most - held", "paid = amount"),
    Edit("a reason is not booked", "core/goods/goods.py", "        self.book(holder, name, amount, move.reason)\n        emit", "        self.book(holder, name, amount, 'change')\n        emit"),
    Edit("the room of a bag is not used up", "core/goods/goods.py", "            ledger.room[body.id] -= fits * size\n", "            pass\n"),
    Edit("what is owed is owed again", "core/goods/goods.py", "            debt.amount = ledger.moves[0].over\n", ""),
    Edit("rejoining is an income", "core/goods/goods.py", "            gone.came -= back\n", "            pass\n"),
    Edit("loading adds", "core/goods/goods.py", 'self._change(Move(body, what, name, amount - now, "loaded"), amount - now)', 'self._change(Move(body, what, name, amount, "loaded"), amount)'),
    Edit("a taken one lies there", "core/goods/pickups.py", "        else:\n            placement.present = False\n            if kind.respawn_after >= 0:", "        else:\n            if kind.respawn_after >= 0:"),
    Edit("a pad does not pause", "core/goods/pickups.py", "            placement.ready = stage.clock.now + kind.cooldown\n", "            pass\n"),
    Edit("removing leaves the count", "core/goods/pickups.py", "        self.table.placed[placement.pickup] -= 1\n", ""),
    Edit("needs are asked once", "core/goods/exchanges.py", "            if not self._open(body, kind, before + done):", "            if False:"),
    Edit("a restock is pushed back", "core/goods/exchanges.py", "if kind.restock_after and stock.due < 0:", "if kind.restock_after:"),
    # tallies, quests, matches
    Edit("a tally counts what began it", "core/kernel/tallies.py", "if not bucket.members or event.seq <= bucket.since:", "if not bucket.members:"),
    Edit("one's own side counts", "core/kernel/kinds.py", "        return stage.same_side(event.source, event.actor)\n", "        return False\n"),
    Edit("windows never empty", "core/kernel/tallies.py", "        if kind.within:\n            stamps = [[now", "        if kind.within and False:\n            stamps = [[now"),
    Edit("a reset keeps what was seen", "core/kernel/tallies.py", "bucket.total, bucket.old, bucket.seen, bucket.stamps = 0, 0, {}, []", "bucket.total, bucket.old, bucket.stamps = 0, 0, []"),
    Edit("the distinct are forgotten in a profile", "core/kernel/tallies.py", '"seen": list(bucket.seen), "stamps": []}', '"seen": [], "stamps": []}'),
    Edit("a ready quest fails past its limit", "core/quests/quests.py", "        if errand.state == READY:\n            errand.overdue = True", "        if False:\n            errand.overdue = True"),
    Edit("a need works out another quest's needs", "core/quests/quests.py", "return AVAILABLE if self._judging or self._offered", "return AVAILABLE if self._offered"),
    Edit("the dead turn in", "core/quests/quests.py", '        refused = "" if body.alive else "dead"\n        refused = refused or', '        refused = ""\n        refused = refused or'),
    Edit("handed over is kept", "core/quests/quests.py", "            if goal.hand_over and goal.hold and kept.met:", "            if False:"),
    Edit("a reward comes again", "core/quests/achievements.py", "        if rank in ranks:\n            return\n", ""),
    Edit("one kill wins two rounds", "core/contests/matches.py", "        return contest._began == self.stage.deliveries and self.stage.handling in self.stage.shadow\n", "        return False\n"),
    Edit("one taken twice is two", "core/contests/matches.py", 'if all_of and contest.asked.pop(str(event.values[1]), 0):', 'if all_of and contest.asked.pop(next(iter(contest.asked), ""), 0):'),
    Edit("a match ends twice", "core/contests/matches.py", "        if not contest.running or not side or self._after_its_end(contest):\n            return\n", "        if not side:\n            return\n"),
    # the stage
    Edit("dice outlive a dismissal", "core/vitals/meters.py", "        self.stage.dice.forget(body._luck)\n", ""),
    Edit("a listener hears what came before it", "core/kernel/stage.py", "if listening.open and listening.after < seq:", "if listening.open:"),
    Edit("a list of causes is lost", "core/kernel/stage.py", "                    self.cause = seq\n", ""),
    Edit("loading is reacted to", "core/kernel/stage.py", "        if not self._told_only or seq not in self._told_only:", "        if True:"),
)
