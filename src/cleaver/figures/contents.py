"""Contents: what a design holds, as tables with the numbers a designer wants beside them. Start at
`tables_of`."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

from rich.table import Table
from rich.text import Text

from cleaver.design.checks.finding import all_effects
from cleaver.design.design import Design
from cleaver.design.lines import key_of
from cleaver.design.models import (
    Attack,
    ByRoundsOrDays,
    Effect,
    Effects,
    Exchange,
    Option,
    Priced,
    Quest,
    Stage,
)
from cleaver.design.stats import Modifier, modifiers, targets
from cleaver.design.totals import Total, totals_of
from cleaver.figures.numbers import MOST_LEVELS, LevelStep, Numbers
from cleaver.rounding import counted, is_number, shown
from cleaver.visible import visible

Rows = list[tuple[str, ...]]


def _time(seconds: float | None) -> str:
    if seconds is None:
        return "never"
    if seconds < 120:
        return f"{shown(round(seconds, 1))} s"
    return (
        f"{shown(round(seconds / 60, 1))} min" if seconds < 7200 else f"{shown(round(seconds / 3600, 1))} h"
    )


def _goods(goods: Mapping[str, float | str]) -> str:
    return (
        ", ".join(
            f"{shown(amount) if isinstance(amount, (int, float)) else amount} {good}"
            for good, amount in goods.items()
        )
        or "nothing"
    )


def _option(option: Option) -> str:
    does = ", ".join(map(effect_text, option.do)) or "nothing"
    weight = shown(option.weight) if isinstance(option.weight, (int, float)) else f"({option.weight})"
    return f"{weight} × {does}"


def effect_text(effect: Effect) -> str:
    """Return an effect in words, much as it is written: "earn 6 scrip to owner"."""
    operand = shown(effect.operand) if isinstance(effect.operand, (int, float)) else effect.operand
    if effect.options():
        operand = " or ".join(_option(option) for option in effect.options())
    beside = dict(effect.beside)
    amount = beside.pop("amount", None)
    first = (
        f"{effect.verb} {shown(amount) if isinstance(amount, (int, float)) else amount} {operand}"
        if amount is not None
        else f"{effect.verb} {operand}"
    )
    rest = [f"{name} {shown(value) if is_number(value) else value}" for name, value in beside.items()]
    return " ".join(
        [
            first,
            *rest,
            *([f"to {effect.to}"] if effect.to else []),
            *([f"when {effect.when}"] if effect.when else []),
            *([_chance(effect.chance)] if effect.chance is not None else []),
        ]
    )


def _chance(chance: float | str) -> str:
    return f"({chance:.3g} of the time)" if isinstance(chance, float) else f"(chance {chance})"


def _effects(effects: Effects) -> str:
    return "; ".join(effect_text(effect) for effect in effects)


def _actors(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("kind", "meters", "attacks", "guard", "other")]
    for kind, actor in design.tables.actors.items():
        guard = [f"armour {_figure(actor.guard.armour)}"] if actor.guard.armour else []
        guard += [f"grace {_span(actor.guard.grace)}"] if actor.guard.grace else []
        guard += [f"{zone} × {_figure(times)}" for zone, times in actor.guard.zones.items()] + [
            f"{hurt} × {_figure(times)}" for hurt, times in actor.guard.through.items()
        ]
        guard += [f"scale {actor.guard.scale}"] if actor.guard.scale else []
        attacks = [_attack(name, attack) for name, attack in actor.attacks.items()]
        more = (
            (["player"] if actor.player else [])
            + ([f"{actor.lives.start} lives"] if actor.lives else [])
            + ([f"bag {actor.bag.most}"] if actor.bag else [])
        )
        more += [f"back after {_span(actor.respawn.after)}"] if actor.respawn else []
        more += [f"every {_span(pulse.every)}: {_effects(pulse.do)}" for pulse in actor.pulses.values()] + (
            [f"at death: {_effects(actor.on_death)}"] if actor.on_death else []
        )
        meters = [
            f"{name} {_figure(meter.max)}{' (vital)' if name == actor.vital else ''}"
            for name, meter in actor.meters.items()
        ]
        rows.append((kind, "\n".join(meters), "\n".join(attacks), "\n".join(guard), "\n".join(more)))
    return rows


def _figure(number: float | str) -> str:
    """Return a number in words, or the formula that gives it."""
    return f"{number:g}" if isinstance(number, (int, float)) else f"({number})"


def _span(span: float | str | ByRoundsOrDays) -> str:
    """Return a span in words: seconds, the formula that gives them, or such as "2 turns"."""
    if isinstance(span, ByRoundsOrDays):
        return str(span)
    return f"{span:g} s" if isinstance(span, (int, float)) else f"({span}) s"


def _limit(span: float | ByRoundsOrDays) -> str:
    return _time(span) if isinstance(span, (int, float)) else str(span)


def _needs(entry: Exchange | Quest | Stage) -> str:
    """Return what somebody needs, a line each, and the days on which it is open."""
    days = [] if entry.open is None else [f"days {entry.open.days[0]} to {entry.open.days[1]}"]
    return "\n".join([*entry.needs, *days])


def _attack(name: str, attack: Attack) -> str:
    amount = shown(attack.amount) if isinstance(attack.amount, (int, float)) else attack.amount
    kind = f" {attack.type}" if attack.type else ""
    costs = f", costs {_costs(attack)}" if attack.costs else ""
    needs = "".join(f", needs {need}" for need in attack.needs)
    return f"{name} {amount}{kind}, every {_span(attack.cooldown)}{costs}{needs}"


def _stats(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("kind", "stat", "base", "within", "modified by")]
    changes = list(modifiers(design.tables))
    raises = [
        (effect.operand if effect.verb == "raise_stat" else f"{effect.operand}.max", path)
        for path, effect in all_effects(design)
        if effect.verb in ("raise_stat", "raise_max")
    ]
    for kind, actor in design.tables.actors.items():
        for target in targets(actor):
            stat = actor.stats.get(target)
            by = [f"{_change(one)} ({one.what})" for one in changes if one.target == target]
            by += [f"raised by {key_of(path[:2])}" for raised, path in raises if raised == target]
            if stat is None and not by:
                continue
            base: float | str = ""
            if stat is not None:
                base = stat.base
            elif target.endswith(".max"):
                base = actor.meters[target.removesuffix(".max")].max
            bounds = [] if stat is None or stat.min is None else [f"from {stat.min:g}"]
            bounds += [] if stat is None or stat.max is None else [f"to {stat.max:g}"]
            shown_ = f"{base:g}" if isinstance(base, (int, float)) else base
            rows.append((kind, target, shown_, " ".join(bounds), "\n".join(dict.fromkeys(by))))
    return rows


def _change(one: Modifier) -> str:
    amount = shown(one.amount) if isinstance(one.amount, (int, float)) else f"({one.amount})"
    name, _, count = one.name.partition("/")
    return f"{'×' if one.way == 'times' else '+'} {amount} {name}{f' ({count})' if count else ''}"


def _abilities(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("kind", "ability", "on", "costs", "again after", "does")]
    for kind, actor in design.tables.actors.items():
        for name, one in actor.abilities.items():
            needs = [f"needs {need}" for need in one.needs]
            again = _span(one.cooldown) if one.cooldown else ""
            rows.append((kind, name, one.targets, _costs(one), again, "\n".join([_effects(one.do), *needs])))
    return rows


def _costs(priced: Priced) -> str:
    return ", ".join(f"{_figure(amount)} {name}" for name, amount in priced.costs.items())


def _fights(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("attacker", "attack", "target", "first hit", "hits", "time")]
    return rows + [
        (
            f.attacker,
            f.attack,
            f.target,
            shown(round(f.first, 2)),
            "∞" if f.hits is None else str(f.hits),
            _time(f.seconds) if f.turns is None else counted(f.turns, "turn"),
        )
        for f in numbers.fights
    ]


def _meters(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("kind", "meter", "a second", "until", "takes", "when")]
    return rows + [
        (
            c.kind,
            c.meter,
            f"{'+' if c.rate > 0 else ''}{shown(c.rate)}",
            c.ends,
            _time(c.seconds),
            c.condition or "always",
        )
        for c in numbers.courses
    ]


def _goods_rows(design: Design, numbers: Numbers) -> Rows:
    tables = design.tables
    rows: Rows = [("good", "start", "most", "size", "worn")]
    for name, kind in tables.currencies.items():
        rows.append(
            (
                name,
                str(kind.start),
                "" if kind.most is None else f"{kind.most:,}",
                "pooled" if kind.pooled else "",
                "",
            )
        )
    return rows + [
        (name, "", "" if item.most is None else f"{item.most:,}", str(item.size), item.slot or "")
        for name, item in tables.items.items()
    ]


def _incomes(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("source", "gives", "each time", "a minute")]
    return rows + [
        (
            i.source,
            i.good,
            f"{shown(i.amount)}{', once' if i.once else ''}",
            shown(round(i.per_minute, 2)) if i.per_minute else "",
        )
        for i in numbers.incomes
    ]


def _exchanges(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("exchange", "needs", "costs", "gives", "stock", "earned in")]
    for price in numbers.prices:
        exchange = design.tables.exchanges[price.exchange]
        stock = "" if exchange.stock is None else str(exchange.stock)
        if stock and exchange.restock_after:
            stock += f", again after {_span(exchange.restock_after)}"
        rows.append(
            (
                price.exchange,
                _needs(exchange),
                _goods(price.costs),
                "; ".join(
                    [_goods(price.gives)] * bool(price.gives) + [_effects(exchange.do)] * bool(exchange.do)
                )
                or "nothing",
                stock,
                "" if price.minutes is None else _time(price.minutes * 60),
            )
        )
    return rows


def _pickups(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("pickup", "does", "inputs", "back after")]
    for name, pickup in design.tables.pickups.items():
        inputs = ", ".join(f"{key} {value:g}" for key, value in pickup.inputs.items())
        again = "" if pickup.respawn_after is None else _span(pickup.respawn_after)
        again = "stays" if pickup.stays else again
        again = ", ".join(filter(None, (again, "once for each" if pickup.once else "")))
        rows.append((name, _effects(pickup.do), inputs, again))
    return rows


def _rate(rate: float | str) -> str:
    return f"{rate:+g}" if isinstance(rate, (int, float)) else f"({rate})"


def _statuses(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("status", "lasts", "does", "stacking")]
    for name, status in design.tables.statuses.items():
        does = [f"every {_span(pulse.every)}: {_effects(pulse.do)}" for pulse in status.pulses]
        does += [f"{flow.meter} {_rate(flow.rate)} a second" for flow in status.flows]
        does += [f"deals × {_figure(status.deals)}"] if status.deals != 1 else []
        does += [f"{kind} × {_figure(times)}" for kind, times in status.through.items()] + (
            [f"tags {', '.join(status.tags)}"] if status.tags else []
        )
        rows.append(
            (
                name,
                "until cured" if status.lasts is None else _span(status.lasts),
                "\n".join(does),
                status.stack,
            )
        )
    return rows


def _rules(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("on", "if", "does")]
    for rule in design.tables.rules:
        wanted = [
            f"{name} {value}" for name, value in {"of": rule.of, **rule.fields()}.items() if value is not None
        ]
        rows.append((rule.on, ", ".join([*wanted, *([rule.where] if rule.where else [])]), _effects(rule.do)))
    return rows


def total_text(total: Total) -> str:
    """Return a total in words: "6", "6 and more"."""
    return f"{shown(total.amount)}{' and more' if total.more else ''}"


def _held(there: Mapping[str, Total], ladders: Collection[str] = ()) -> str:
    return ", ".join(
        f"{total_text(total)} {name}{' experience' if name in ladders else ''}"
        for name, total in there.items()
        if total.amount
    )


def _stages(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("stage", "needs", "creatures", "pickups", "gives at most", "rated by")]
    for name, totals in totals_of(design).items():
        stage = design.tables.stages[name]
        rows.append(
            (
                name,
                _needs(stage),
                _held(totals.actors),
                _held(totals.pickups),
                _held(totals.goods, design.tables.levels),
                stage.rating or "",
            )
        )
    return rows


def _matches(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("match", "teams", "won at", "time", "scores")]
    for name, match in design.tables.matches.items():
        scores = "\n".join(f"{rule.of or ''} {rule.on}: {_effects(rule.do)}".strip() for rule in match.rules)
        won, lasts = (
            "" if match.win_at is None else f"{match.win_at}",
            "" if match.time_limit is None else _limit(match.time_limit),
        )
        rows.append((name, ", ".join(match.teams), won, lasts, scores))
    return rows


def _needed(step: LevelStep) -> str:
    ways = sorted(step.by.items(), key=lambda way: way[1])
    return ", or ".join(f"{-(-times // 1):g} × {source}" for source, times in ways[:4])


def _ratings(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("rating", "star", "needs", "equals")]
    rows += [
        (
            step.name,
            "★" * step.step,
            f"{shown(step.needs)} {design.tables.ratings[step.name].unit}",
            _needed(step),
        )
        for step in numbers.stars
    ]
    return rows + [
        (name, "★", mark.when, mark.text)
        for name, rating in design.tables.ratings.items()
        for mark in rating.conditions
    ]


def _levels(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("levels", "level", "needs", "in all", "equals", "fastest")]
    return rows + [
        (
            s.name,
            str(s.step),
            shown(s.needs),
            shown(s.total),
            _needed(s),
            "" if s.seconds is None else _time(s.seconds),
        )
        for s in numbers.levels
    ]


def _quests(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("quest", "needs", "goals", "reward")]
    for name, quest in design.tables.quests.items():
        goals = []
        for goal in quest.goals:
            count = f" ({goal.count})" if goal.count not in (None, 1) else ""
            goals.append(
                f"{goal.text or goal.on or f'hold {goal.hold}'}{count}{', optional' if goal.optional else ''}"
            )
        rows.append((name, _needs(quest), "\n".join(goals), _effects(quest.reward)))
    return rows


def _achievements(design: Design, numbers: Numbers) -> Rows:
    rows: Rows = [("achievement", "for", "ranks", "reward")]
    for name, achievement in design.tables.achievements.items():
        wanted = " ".join(part for part in (achievement.of or "", achievement.on) if part) or "an effect"
        rows.append(
            (
                name,
                wanted,
                ", ".join(f"{rank} {count}" for rank, count in achievement.ranks.items()),
                _effects(achievement.reward),
            )
        )
    return rows


SECTIONS: dict[str, tuple[str, Callable[[Design, Numbers], Rows]]] = {
    "actors": ("Actors", _actors),
    "fights": (
        "Hits and time to defeat, as often as cooldown and grace allow, none of them critical",
        _fights,
    ),
    "stats": ("Stats, and what may modify them", _stats),
    "abilities": ("Abilities", _abilities),
    "meters": ("Meters that flow", _meters),
    "statuses": ("Statuses", _statuses),
    "pickups": ("Pickups", _pickups),
    "goods": ("Money and items", _goods_rows),
    "income": ("Income", _incomes),
    "rules": ("Rules", _rules),
    "exchanges": (
        "Exchanges; the time is that of the best income by the clock, at the first price",
        _exchanges,
    ),
    "stages": ("Stages, with what may be left behind, and the most that each can give once", _stages),
    "matches": ("Matches", _matches),
    "ratings": ("Stars", _ratings),
    "levels": ("Levels, and the time they take with the best source alone", _levels),
    "quests": ("Quests", _quests),
    "achievements": ("Achievements", _achievements),
}
"""What can be shown, in the order it is: a heading, and the rows with their titles first."""

_RIGHT = {
    "first hit",
    "hits",
    "time",
    "a second",
    "takes",
    "start",
    "most",
    "size",
    "each time",
    "a minute",
    "level",
    "needs",
    "in all",
    "fastest",
    "earned in",
}


def tables_of(design: Design, numbers: Numbers, section: str = "") -> list[tuple[str, Table]]:
    """Return (heading, table) of each section that holds something, or of the one that is named."""
    found = []
    for name, (heading, rows_of) in SECTIONS.items():
        if section in ("", name):
            rows = rows_of(design, numbers)
            if len(rows) > 1:
                note = (
                    f" (the first {counted(len(numbers.fights), 'fight')} only)"
                    if name == "fights" and numbers.cut
                    else ""
                )
                note = (
                    f" (the first {MOST_LEVELS} only)"
                    if name == "levels" and any(step.step == MOST_LEVELS for step in numbers.levels)
                    else note
                )
                found.append((heading + note, _table(rows)))
    return found


def rows_of(design: Design, numbers: Numbers, section: str = "") -> dict[str, list[dict[str, str]]]:
    """Return the same as data: of each section that holds something, its rows by their columns' titles."""
    found = {name: made(design, numbers) for name, (_, made) in SECTIONS.items() if section in ("", name)}
    return {
        name: [dict(zip(rows[0], row, strict=True)) for row in rows[1:]]
        for name, rows in found.items()
        if len(rows) > 1
    }


def _table(rows: Rows) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 3, 0, 0), header_style="dim")
    numbers = {
        title
        for index, title in enumerate(rows[0])
        if title in _RIGHT and not any("\n" in row[index] for row in rows[1:])
    }
    empty = {index for index in range(len(rows[0])) if not any(row[index] for row in rows[1:])}
    for index, title in enumerate(rows[0]):
        if index not in empty:
            table.add_column(
                title,
                justify="right" if title in numbers and rows[0][0] not in ("rating", "quest") else "left",
                overflow="fold",
            )
    for row in rows[1:]:
        table.add_row(*(Text(visible(cell)) for index, cell in enumerate(row) if index not in empty))
    return table
