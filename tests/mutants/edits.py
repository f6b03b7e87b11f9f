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
    Edit("the quick hit forgets grace", "core/combat.py", "            if form.grace:\n                target.grace = now + form.grace\n", ""),
    Edit("a hit forgets when it was", "core/combat.py", "        target.hurt_at = stage.clock.now\n", ""),
    Edit("a forced critical draws nothing", "core/combat.py", "                drawn = stage.dice.draw(source._luck) < chance\n                critical = drawn if crit is None else crit",
         "                critical = stage.dice.draw(source._luck) < chance if crit is None else crit"),
    Edit("armour before the zone", "core/combat.py", "        if self.zone:\n            amount *= self.zone_factor\n        if times != 1:", "        if times != 1:"),
    Edit("a poison gives grace", "core/combat.py", "if guard.grace and not blow.pulse:", "if guard.grace:"),
    Edit("the quick hit ignores cooldowns", "core/combat.py", "        if form.cooldown:\n            self.cool(source, form.attack, target)\n", ""),
    Edit("inputs stay behind", "core/combat.py", "        if given:\n            stage.given = inputs\n", ""),
    Edit("the dead hit", "core/combat.py", "if not source.alive and not late:", "if False:"),
    Edit("friendly fire hurts oneself less", "core/combat.py", "if source is not None and source is not target and source.team and source.team == target.team and",
         "if source is not None and source.team and source.team == target.team and"),
    Edit("shields do not pay what they absorb", "core/combat.py", "                left -= taken\n                absorbed += taken\n", "                absorbed += taken\n"),
    Edit("a whole shield loses a fraction rounded down", "core/combat.py", 'rounded(taken, "up") if shield', 'rounded(taken, "down") if shield'),
    Edit("the attack's own effects come though nothing was hurt", "core/combat.py", "if attack is None or not attack.do or fact.amount <= 0 or target is None:",
         "if attack is None or not attack.do or target is None:"),
    Edit("the least is forgotten", "core/combat.py", "if guard.least and amount < guard.least:", "if False and amount < guard.least:"),
    # meters, deaths
    Edit("a step clock starts anew with each hit", "core/vitals.py", "new[key] = old.get(key, self.stage.clock.now + flow.every)", "new[key] = self.stage.clock.now + flow.every"),
    Edit("marks ignore decimal noise no longer", "core/vitals.py", "        slack = top * NOISE\n        return sum", "        slack = 0\n        return sum"),
    Edit("a mark is looked at from a bound only", "core/vitals.py", "        if meter._kind.mark_levels:\n            now_above", "        if meter._kind.mark_levels and after > 0:\n            now_above"),
    Edit("flows that do not work get the credit", "core/vitals.py", "flow.rate < 0 and self._at_work(meter._owner, flow)\n            if at_work and", "flow.rate < 0\n            if at_work and"),
    Edit("a hurt is remembered over a rebirth", "core/vitals.py", "        body.alive, body.hurt_at = True, -1\n        if body.comeback", "        body.alive = True\n        if body.comeback"),
    Edit("cooldowns outlive a death", "core/vitals.py", "        body.cooldowns.clear()\n        for clear in self.before_death:", "        for clear in self.before_death:"),
    Edit("a death takes no life", "core/vitals.py", "body.lives = max(body.lives - 1, 0)", "body.lives = max(body.lives, 0)"),
    Edit("a return after a revive", "core/vitals.py", "        body.grace = now + grace\n        if body.comeback is not None:", "        body.grace = now + grace\n        if False:"),
    Edit("who comes back remembers the hurt", "core/vitals.py", "        body.alive = True\n        body.hurt_at = -1\n", "        body.alive = True\n"),
    Edit("healing goes over the top", "core/vitals.py", "            after = max(cap, before)\n        elif", "            after = before + amount\n        elif"),
    Edit("noise is not snapped", "core/vitals.py", "            after = snapped(after, top)\n        if still", "            pass\n        if still"),
    Edit("a whole meter forgets the fraction it carries", "core/vitals.py", "            carried = self.real(meter) - before\n            if after <= 0", "            carried = 0\n            if after <= 0"),
    Edit("the fraction may empty a meter", "core/vitals.py", "return min(max(rounded(after, kind.mode), least), cap) if kind.whole", "return min(rounded(after, kind.mode), cap) if kind.whole"),
    Edit("the saved maximum stands", "core/vitals.py", "self._become(meter, meter._kind.max + self.raised_by_levels(body, name) + raised, saved", "self._become(meter, meter.max + raised, saved"),
    # statuses
    Edit("a refresh shortens", "core/statuses.py", "if ailment.due < 0 or (lasts and until <= ailment.due):", "if ailment.due < 0 or (lasts and until == ailment.due):"),
    Edit("extending has no end", "core/statuses.py", "            until = min(until, now + kind.most * lasts)\n", "            pass\n"),
    Edit("beats outlive their status", "core/statuses.py", "        for beat in ailment.beats:\n            self.stage.clock.disarm(beat)\n        body.ailments", "        body.ailments"),
    Edit("a paused pulse forgets its place", "core/statuses.py", "self.stage.clock.arm(beat, now + beat.left)", "self.stage.clock.arm(beat, now + beat._kind.every)"),
    Edit("tags of a status are told twice", "core/statuses.py", "        before = set(body._words)\n        self.gather(body)", "        before: set[str] = set()\n        self.gather(body)"),
    # goods
    Edit("what is over is earned all the same", "core/goods.py", "paid = amount if held + amount <= most else most - held", "paid = amount"),
    Edit("a reason is not booked", "core/goods.py", "        self.book(holder, name, amount, move.reason)\n        emit", "        self.book(holder, name, amount, 'change')\n        emit"),
    Edit("the room of a bag is not used up", "core/goods.py", "            ledger.room[body.id] -= fits * size\n", "            pass\n"),
    Edit("what is owed is owed again", "core/goods.py", "            debt.amount = ledger.moves[0].over\n", ""),
    Edit("rejoining is an income", "core/goods.py", "            gone.came -= back\n", "            pass\n"),
    Edit("loading adds", "core/goods.py", 'self._change(Move(body, what, name, amount - now, "loaded"), amount - now)', 'self._change(Move(body, what, name, amount, "loaded"), amount)'),
    Edit("a taken one lies there", "core/pickups.py", "        else:\n            placement.present = False\n            if kind.respawn_after >= 0:", "        else:\n            if kind.respawn_after >= 0:"),
    Edit("a pad does not pause", "core/pickups.py", "            placement.ready = stage.clock.now + kind.cooldown\n", "            pass\n"),
    Edit("removing leaves the count", "core/pickups.py", "        self.table.placed[placement.pickup] -= 1\n", ""),
    Edit("needs are asked once", "core/exchanges.py", "            if not self._open(body, kind, before + done):", "            if False:"),
    Edit("a restock is pushed back", "core/exchanges.py", "if kind.restock_after and stock.due < 0:", "if kind.restock_after:"),
    # tallies, quests, matches
    Edit("a tally counts what began it", "core/tally.py", "if not bucket.members or fact.seq <= bucket.since:", "if not bucket.members:"),
    Edit("one's own side counts", "core/kinds.py", "        return stage.same_side(fact.source, fact.actor)\n", "        return False\n"),
    Edit("windows never empty", "core/tally.py", "        if kind.within:\n            stamps = [[now", "        if kind.within and False:\n            stamps = [[now"),
    Edit("a reset keeps what was seen", "core/tally.py", "bucket.total, bucket.old, bucket.seen, bucket.stamps = 0, 0, {}, []", "bucket.total, bucket.old, bucket.stamps = 0, 0, []"),
    Edit("the distinct are forgotten in a profile", "core/tally.py", '"seen": list(bucket.seen), "stamps": []}', '"seen": [], "stamps": []}'),
    Edit("a ready quest fails past its limit", "core/quests.py", "        if errand.state == READY:\n            errand.overdue = True", "        if False:\n            errand.overdue = True"),
    Edit("a need works out another quest's needs", "core/quests.py", "return AVAILABLE if self._judging or self._offered", "return AVAILABLE if self._offered"),
    Edit("the dead turn in", "core/quests.py", '        refused = "" if body.alive else "dead"\n        refused = refused or', '        refused = ""\n        refused = refused or'),
    Edit("handed over is kept", "core/quests.py", "            if goal.hand_over and goal.hold and kept.met:", "            if False:"),
    Edit("a reward comes again", "core/achievements.py", "        if rank in ranks:\n            return\n", ""),
    Edit("one kill wins two rounds", "core/matches.py", "        return contest._began == self.stage.deliveries and self.stage.handling in self.stage.shadow\n", "        return False\n"),
    Edit("one taken twice is two", "core/matches.py", 'if all_of and contest.asked.pop(str(fact.values[1]), 0):', 'if all_of and contest.asked.pop(next(iter(contest.asked), ""), 0):'),
    Edit("a match ends twice", "core/matches.py", "        if not contest.running or not side or self._after_its_end(contest):\n            return\n", "        if not side:\n            return\n"),
    # the stage
    Edit("dice outlive a dismissal", "core/vitals.py", "        self.stage.dice.forget(body._luck)\n", ""),
    Edit("a listener hears what came before it", "core/stage.py", "if listening.open and listening.after < seq:", "if listening.open:"),
    Edit("a list of causes is lost", "core/stage.py", "                    self.cause = seq\n", ""),
    Edit("loading is reacted to", "core/stage.py", "        if not self._told_only or seq not in self._told_only:", "        if True:"),
)
