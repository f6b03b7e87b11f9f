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
    Edit(
        "the quick hit forgets grace",
        "core/vitals/quick.py",
        "            if plan.grace:\n                target.grace = now + plan.grace\n",
        "",
    ),
    Edit(
        "a hit forgets when it was", "core/vitals/hits.py", "        target.hurt_at = stage.clock.now\n", ""
    ),
    Edit(
        "a forced critical draws nothing",
        "core/vitals/quick.py",
        "                drawn = stage.dice.draw(source.luck) < chance\n                critical = drawn if crit is None else crit\n",
        "                critical = stage.dice.draw(source.luck) < chance if crit is None else crit\n",
    ),
    Edit(
        "armour before the zone",
        "core/vitals/quick.py",
        "        if self.zone:\n            amount *= self.zone_factor\n",
        "",
    ),
    Edit(
        "a poison gives grace",
        "core/vitals/hits.py",
        "        if guard.grace and not blow.pulse:\n",
        "        if guard.grace:\n",
    ),
    Edit(
        "what is there once comes again",
        "core/goods/pickups.py",
        "            self.table.had.setdefault(body.id, {})[kind.name] = True\n",
        "            pass\n",
    ),
    Edit(
        "a pulse comes at once unasked",
        "core/kernel/actor_kinds.py",
        "        self.first = 0 if pulse.at_once else self.every\n",
        "        self.first = 0\n",
    ),
    Edit(
        "those in no match lose it too",
        "core/contests/matches.py",
        "        return [body for body, side in sides if side and (side == winner) is won]\n",
        "        return [body for body, side in sides if (side == winner) is won]\n",
    ),
    Edit(
        "dice of a list are drawn twice",
        "core/kernel/effects.py",
        "        number = self.stage.dice.peek(stream, drawn.count(stream))\n",
        "        number = self.stage.dice.draw(stream)\n",
    ),
    Edit(
        "the dice of those who left go on",
        "core/parts.py",
        "        stage.departures.append(self.effects.forget)\n",
        "",
    ),
    Edit(
        "all rules share their dice",
        "core/kernel/kinds.py",
        "        luck = f\"{path}.{rule.name or f'{rule.on}.{on[rule.on]}'}\"\n",
        "        luck = path\n",
    ),
    Edit(
        "a pulse pays whatever the dice say",
        "core/kernel/actor_kinds.py",
        '            and only.chance is None\n            and not isinstance(only.beside["amount"], Expression)\n',
        '            and not isinstance(only.beside["amount"], Expression)\n',
    ),
    Edit(
        "a fine takes more than there is",
        "core/contests/kinds.py",
        "        return left if self.negative_scores or left >= 0 else min(score, 0)\n",
        "        return left\n",
    ),
    Edit(
        "a fine spares the team",
        "core/contests/scores.py",
        "            table.teams[body.team] = team\n",
        "            table.teams[body.team] = team + amount\n",
    ),
    Edit(
        "the quick hit ignores cooldowns",
        "core/vitals/quick.py",
        "        if plan.cooldown:\n            self.combat.cool(source, plan.attack, target)\n",
        "",
    ),
    Edit(
        "inputs stay behind",
        "core/vitals/quick.py",
        "        if given:\n            stage.given = inputs\n",
        "",
    ),
    Edit(
        "the dead hit",
        "core/vitals/hits.py",
        "            if not source.alive and not late:\n",
        "            if False:\n",
    ),
    Edit(
        "friendly fire hurts oneself less",
        "core/vitals/hits.py",
        '        if (\n            source is not None\n            and source is not target\n            and source.team\n            and source.team == target.team\n            and "friendly" not in ignores\n        ):\n',
        '        if source is not None and source.team and source.team == target.team and "friendly" not in ignores:\n',
    ),
    Edit("shields do not pay what they absorb", "core/vitals/hits.py", "                left -= taken\n", ""),
    Edit(
        "a whole shield loses a fraction rounded down",
        "core/vitals/hits.py",
        '                        *vitals.shift(shield, -(rounded(taken, "up") if shield.kind.whole else taken))[:2],\n',
        '                        *vitals.shift(shield, -(rounded(taken, "down") if shield.kind.whole else taken))[:2],\n',
    ),
    Edit(
        "the attack's own effects come though nothing was hurt",
        "core/vitals/hits.py",
        "        if attack is None or not attack.do or event.amount <= 0 or target is None:\n",
        "        if attack is None or not attack.do or target is None:\n",
    ),
    Edit(
        "the least is forgotten",
        "core/vitals/hits.py",
        "            if guard.least and amount < guard.least:\n",
        "            if False and amount < guard.least:\n",
    ),
    Edit(
        "the quick hit rounds after the most",
        "core/vitals/quick.py",
        "            amount = rounded(max(amount, 0), self.mode)\n        if",
        "            pass\n        if",
    ),
    Edit(
        "the quick hit lets a flow go on that is to pause",
        "core/vitals/quick.py",
        "                if one.course or one.value != one.base or one.due < 0:\n",
        "                if one.value != one.base or one.due < 0:\n",
    ),
    Edit(
        "a quick shield holds for ever",
        "core/vitals/quick.py",
        "            shield.value = shield.base = kept\n",
        "            pass\n",
    ),
    Edit(
        "a quick shield holds what it has not",
        "core/vitals/quick.py",
        "            if not slack < kept < one.max - slack:\n",
        "            if not kept < one.max - slack:\n",
    ),
    Edit(
        "a step clock starts anew with each hit",
        "core/vitals/meters.py",
        "                new[key] = old.get(key, self.stage.clock.now + flow.every)\n",
        "                new[key] = self.stage.clock.now + flow.every\n",
    ),
    Edit(
        "marks ignore decimal noise no longer",
        "core/vitals/meters.py",
        "        slack = top * NOISE\n",
        "        slack = 0\n",
    ),
    Edit(
        "a mark is looked at from a bound only",
        "core/vitals/meters.py",
        "        if meter.kind.mark_levels:\n",
        "        if meter.kind.mark_levels and after > 0:\n",
    ),
    Edit(
        "flows that do not work get the credit",
        "core/vitals/meters.py",
        "            at_work = name == meter.kind.name and flow.rate < 0 and self._at_work(meter.owner, flow)\n",
        "            at_work = name == meter.kind.name and flow.rate < 0\n",
    ),
    Edit(
        "a hurt is remembered over a rebirth",
        "core/vitals/meters.py",
        "        body.alive, body.hurt_at = True, -1\n",
        "        body.alive = True\n",
    ),
    Edit("cooldowns outlive a death", "core/vitals/meters.py", "        body.cooldowns.clear()\n", ""),
    Edit(
        "a death takes no life",
        "core/vitals/meters.py",
        "            body.lives = max(body.lives - 1, 0)\n",
        "            body.lives = max(body.lives, 0)\n",
    ),
    Edit(
        "a return after a revive",
        "core/vitals/meters.py",
        "        body.grace = now + grace\n        if body.comeback is not None:\n",
        "        body.grace = now + grace\n        if False:\n",
    ),
    Edit("who comes back remembers the hurt", "core/vitals/meters.py", "        body.hurt_at = -1\n", ""),
    Edit(
        "healing goes over the top",
        "core/vitals/meters.py",
        "            after = max(cap, before)\n",
        "            after = before + amount\n",
    ),
    Edit(
        "noise is not snapped",
        "core/vitals/meters.py",
        "            after = snapped(after, top)\n",
        "            pass\n",
    ),
    Edit(
        "a whole meter forgets the fraction it carries",
        "core/vitals/meters.py",
        "            carried = self.real(meter) - before\n",
        "            carried = 0\n",
    ),
    Edit(
        "the fraction may empty a meter",
        "core/vitals/meters.py",
        "            return (\n                min(max(rounded(after, kind.mode), least), cap)\n                if kind.whole\n                else snapped(min(after, cap), top)\n            )\n",
        "            return min(rounded(after, kind.mode), cap) if kind.whole else snapped(min(after, cap), top)\n",
    ),
    Edit(
        "the saved maximum stands",
        "core/vitals/meters.py",
        '                self._become(\n                    meter, meter.kind.max + self.raised_by_levels(body, name) + raised, saved["value"], told\n                )\n',
        '                self._become(meter, meter.max + raised, saved["value"], told)\n',
    ),
    Edit(
        "a refresh shortens",
        "core/vitals/statuses.py",
        "        if ailment.due < 0 or (lasts and until <= ailment.due):\n",
        "        if ailment.due < 0 or (lasts and until == ailment.due):\n",
    ),
    Edit(
        "extending has no end",
        "core/vitals/statuses.py",
        "            until = min(until, now + kind.most * lasts)\n",
        "            pass\n",
    ),
    Edit(
        "beats outlive their status",
        "core/vitals/statuses.py",
        "        for beat in ailment.beats:\n            self.stage.clock.disarm(beat)\n",
        "",
    ),
    Edit(
        "a paused pulse forgets its place",
        "core/vitals/statuses.py",
        "                self.stage.clock.arm(beat, now + beat.left)\n",
        "                self.stage.clock.arm(beat, now + beat.kind.every)\n",
    ),
    Edit(
        "tags of a status are told twice",
        "core/vitals/statuses.py",
        "        before = set(body.word_counts)\n",
        "        before: set[str] = set()\n",
    ),
    Edit(
        "what is over is earned all the same",
        "core/goods/goods.py",
        "        paid = amount if held + amount <= most else most - held\n",
        "        paid = amount\n",
    ),
    Edit(
        "a reason is not booked",
        "core/goods/goods.py",
        "        self.book(holder, name, amount, move.reason)\n",
        '        self.book(holder, name, amount, "change")\n',
    ),
    Edit(
        "the room of a bag is not used up",
        "core/goods/goods.py",
        "            ledger.room[body.id] -= fits * size\n",
        "            pass\n",
    ),
    Edit(
        "what is owed is owed again",
        "core/goods/goods.py",
        "            debt.amount = ledger.moves[0].over\n",
        "",
    ),
    Edit(
        "rejoining is an income",
        "core/goods/goods.py",
        "            gone.came -= back\n",
        "            pass\n",
    ),
    Edit(
        "loading adds",
        "core/goods/goods.py",
        '            self._change(Move(body, what, name, amount - now, "loaded"), amount - now)\n',
        '            self._change(Move(body, what, name, amount, "loaded"), amount)\n',
    ),
    Edit("a taken one lies there", "core/goods/pickups.py", "            placement.present = False\n", ""),
    Edit(
        "a pad does not pause",
        "core/goods/pickups.py",
        "            placement.ready = stage.clock.now + kind.cooldown\n",
        "            pass\n",
    ),
    Edit(
        "removing leaves the count",
        "core/goods/pickups.py",
        "        self.table.placed[placement.pickup] -= 1\n",
        "",
    ),
    Edit(
        "needs are asked once",
        "core/goods/exchanges.py",
        "            if not self._open(body, kind, before + done):\n",
        "            if False:\n",
    ),
    Edit(
        "a restock is pushed back",
        "core/goods/exchanges.py",
        "            if kind.restock_after and stock.due < 0:\n",
        "            if kind.restock_after:\n",
    ),
    Edit(
        "a tally counts what began it",
        "core/kernel/tallies.py",
        "        if not bucket.members or event.seq <= bucket.since:\n",
        "        if not bucket.members:\n",
    ),
    Edit(
        "one's own side counts",
        "core/kernel/rules.py",
        "    return stage.same_side(event.source, event.actor)\n",
        "    return False\n",
    ),
    Edit(
        "windows never empty",
        "core/kernel/tallies.py",
        "        kind, now = bucket.kind, self.stage.clock.now\n        if kind.within:\n",
        "        kind, now = bucket.kind, self.stage.clock.now\n        if kind.within and False:\n",
    ),
    Edit(
        "a reset keeps what was seen",
        "core/kernel/tallies.py",
        "                bucket.total, bucket.old, bucket.seen, bucket.stamps = 0, 0, {}, []\n",
        "                bucket.total, bucket.old, bucket.stamps = 0, 0, []\n",
    ),
    Edit(
        "a timer that was put off is taken for the first",
        "core/kernel/clock.py",
        "            if due == timer.due == timer._queued:\n",
        "            if due == timer._queued:\n",
    ),
    Edit(
        "what a profile brings survives a reset",
        "core/kernel/tallies.py",
        "        elif kind.shared:\n            member.start",
        '        elif kind.how in ("count", "sum"):\n            member.start',
    ),
    Edit(
        "the distinct are forgotten in a profile",
        "core/kernel/tallies.py",
        '            "seen": list(bucket.seen),\n',
        '            "seen": [],\n',
    ),
    Edit(
        "a ready quest fails past its limit",
        "core/quests/quests.py",
        "        errand.limit = None\n        if errand.state == READY:\n",
        "        errand.limit = None\n        if False:\n",
    ),
    Edit(
        "a need works out another quest's needs",
        "core/quests/quests.py",
        "        return AVAILABLE if self._judging or self._offered(body, kind) else LOCKED\n",
        "        return AVAILABLE if self._offered(body, kind) else LOCKED\n",
    ),
    Edit(
        "the dead turn in",
        "core/quests/quests.py",
        '        if not body.alive:\n            refused = "dead"\n        elif state != READY',
        "        if state != READY",
    ),
    Edit(
        "handed over is kept",
        "core/quests/quests.py",
        "            if goal.hand_over and goal.hold and kept.met:\n",
        "            if False:\n",
    ),
    Edit(
        "a reward comes again",
        "core/quests/achievements.py",
        "        if rank in ranks:\n            return\n",
        "",
    ),
    Edit(
        "one kill wins two rounds",
        "core/contests/matches.py",
        "        return contest._began == self.stage.delivery and self.stage.handling in self.stage.shadow\n",
        "        return False\n",
    ),
    Edit(
        "one taken twice is two",
        "core/contests/matches.py",
        "        if all_of and contest.asked.pop(str(event.values[1]), 0):\n",
        '        if all_of and contest.asked.pop(next(iter(contest.asked), ""), 0):\n',
    ),
    Edit(
        "a match ends twice",
        "core/contests/matches.py",
        "        if not contest.running or not side or self._after_its_end(contest):\n",
        "        if not side:\n",
    ),
    Edit(
        "dice outlive a dismissal",
        "core/vitals/meters.py",
        "        self.stage.dice.forget(body.luck)\n",
        "",
    ),
    Edit(
        "a listener hears what came before it",
        "core/kernel/stage.py",
        "                if listening.open and listening.after < seq:\n",
        "                if listening.open:\n",
    ),
    Edit(
        "what follows from an event has no cause",
        "core/kernel/stage.py",
        "        self.cause = self.handling = seq\n",
        "        self.handling = seq\n",
    ),
    Edit(
        "loading is reacted to",
        "core/kernel/stage.py",
        "        if not self._told_only or seq not in self._told_only:\n",
        "        if True:\n",
    ),
)
