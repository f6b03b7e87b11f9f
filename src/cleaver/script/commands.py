"""Commands: what a line of a script can say, one function each.

A command reads its words, calls the verb of the same name, and says in one line what came of it. Start at
`COMMANDS`.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as FilePath
from typing import Any, NamedTuple

from cleaver.core.kernel.clock import LONGEST
from cleaver.core.kernel.results import ChangeResult, HealResult, HitResult, Result
from cleaver.errors import AmountError, UnknownNameError, UsageError
from cleaver.rounding import counted, shown
from cleaver.script.lines import Words, to_number, to_whole
from cleaver.script.session import MAX_SNAPSHOTS, Session

SHORTEST_FRAME = 1e-6  # seconds
Run = Callable[[Session, Words], str]


class Command(NamedTuple):
    """One command: how it is written, what it does, an example; `acts` where it changes the world."""

    name: str
    usage: str
    help: str
    example: str
    acts: bool
    run: Run


COMMANDS: dict[str, Command] = {}
THEMES = {
    "who is there": ("seed", "join", "leave", "spawn", "dismiss", "move", "team"),
    "hits and meters": ("hit", "hurt", "heal", "drain", "revive", "set", "set_max"),
    "tags and statuses": ("tag", "untag", "status", "cure"),
    "goods": ("place", "take", "earn", "spend", "give", "remove", "exchange"),
    "points": ("score", "lives", "xp", "rate", "start_rating", "match"),
    "quests": ("accept", "turn_in", "abandon", "fail", "grant", "announce"),
    "time": ("advance", "until", "pause", "resume", "run", "speed"),
    "saves": ("save", "load", "store", "snapshot", "restore"),
    "testing": ("expect", "expect_error", "repeat", "record"),
    "looking": ("show", "why", "events", "choose", "help", "undo", "redo", "quit"),
}
"""Every command, by what it is about."""


def command(usage: str, help: str, example: str, *, acts: bool = True) -> Callable[[Run], Run]:
    """Add a function to the table of commands, under the first word of *usage*."""

    def add(run: Run) -> Run:
        name = usage.split()[0]
        COMMANDS[name] = Command(name, usage, help, example, acts, run)
        return run

    return add


def find(name: str) -> Command:
    """Return a command by its name."""
    if name not in COMMANDS:
        raise UnknownNameError("command", name, tuple(COMMANDS))
    return COMMANDS[name]


def _said(session: Session, result: Result, done: str) -> str:
    """Keep a result for `expect`, and say it: what was done, or why not."""
    session.result = result
    if result.blocked:
        return f"refused: {result.blocked}"
    return done if result else "nothing changed"


# who is there


@command("seed N", "sets the dice, before anything else", "seed 7")
def _seed(session: Session, words: Words) -> str:
    seed = to_whole("the seed", words.number("N"))
    words.done()
    if session.started:
        raise UsageError("seed comes before anything else; the dice cannot be changed in the middle")
    from cleaver.core.world import World  # the one command that makes a world

    session.attach(World(session.design, seed, history=session.history))
    session.result = Result()
    return f"seed set to {seed}"


@command(
    "join KIND NAME [team=]",
    "lets a player enter, with what the store has of it",
    "join diver ana team=north",
)
def _join(session: Session, words: Words) -> str:
    kind, name, team = words.word("KIND"), session.free(words.word("NAME")), words.option("team")
    words.done()
    profile = session.store.read(name) if session.store is not None else None
    session.world.join(kind, name, team=team, profile=profile)
    session.result = Result()
    return f"{name} enters as {kind}{', as it was saved' if profile else ''}"


@command("leave NAME", "saves a player, who then leaves", "leave ana")
def _leave(session: Session, words: Words) -> str:
    name = words.word("NAME")
    words.done()
    actor = session.actor(name)
    info = _store(session).save(session.world.profile(actor))
    session.world.saved(actor, info.revision)
    session.world.leave(actor)
    session.result = Result()
    return f"{name} leaves, saved as revision {info.revision}"


@command("spawn KIND [NAME…] [team=] [owner=]", "lets any other actors enter", "spawn eel eel1")
def _spawn(session: Session, words: Words) -> str:
    kind, team, owner = words.word("KIND"), words.option("team"), words.option("owner")
    given = session.all_free(words.all())
    words.done()
    made = [session.world.spawn(kind, name, team=team, owner=owner).id for name in given or [""]]
    session.result = Result()
    return f"{', '.join(made)} {'enters' if len(made) == 1 else 'enter'}"


@command("dismiss NAME", "takes an actor out for good", "dismiss eel1")
def _dismiss(session: Session, words: Words) -> str:
    name = words.word("NAME")
    words.done()
    session.world.dismiss(session.actor(name))
    session.result = Result()
    return f"{name} is gone"


@command("move NAME X Y [Z]", "says where an actor or a placement stands now", "move ana 3 4")
def _move(session: Session, words: Words) -> str:
    name, x, y, z = words.word("NAME"), words.number("X"), words.number("Y"), words.number("Z", 0)
    words.done()
    session.world.move(session.thing(name), x, y, z)
    session.result = Result()
    return f"{name} stands at {shown(x)}, {shown(y)}, {shown(z)}"


# hits and meters


@command(
    "hit TARGET by= with= zone= type= amount= crit= posthumous= [INPUT=…]",
    "an attack, or a bare amount",
    "hit ana by=eel1 with=sting zone=visor charge=0.5",
)
def _hit(session: Session, words: Words) -> str:
    target, by = session.actor(words.word("TARGET")), words.option("by")
    if not by:
        raise UsageError("by= is missing: who hits? (hurt NAME AMOUNT needs nobody)")
    attack, zone, type, amount = (
        words.option("with") or None,
        words.option("zone"),
        words.option("type"),
        words.option_number("amount"),
    )
    crit, posthumous = words.option_truth("crit"), bool(words.option_truth("posthumous"))
    source = session.actor(by)
    result = source.hit(
        target,
        attack,
        amount=amount,
        zone=zone,
        type=type,
        crit=crit,
        posthumous=posthumous,
        **words.numbers(),
    )
    return _hit_said(session, result)


@command("hurt NAME AMOUNT [type=] [zone=] [INPUT=…]", "hurts by a bare amount", "hurt ana 5 type=pressure")
def _hurt(session: Session, words: Words) -> str:
    actor, amount, type, zone = (
        session.actor(words.word("NAME")),
        words.number("AMOUNT"),
        words.option("type"),
        words.option("zone"),
    )
    result = actor.hurt(amount, type=type, zone=zone, **words.numbers())
    return _hit_said(session, result)


def _hit_said(session: Session, result: HitResult) -> str:
    what = [f"{shown(result.dealt)} dealt"]
    what += [f"{shown(result.absorbed)} absorbed"] if result.absorbed else []
    what += [f"{shown(result.overkill)} overkill"] if result.overkill else []
    total = f": {result.explain()}" if len(result.steps) > 1 else ""
    text = f"{', '.join(what)}{total}"
    text += " (critical)" if result.critical else ""
    text += ", lethal" if result.lethal else ""
    return _said(session, result, text) + (f": {result.explain()}" if result.blocked == "deflected" else "")


@command("heal NAME AMOUNT [meter=]", "gives back what is missing, at most so much", "heal ana 25")
def _heal(session: Session, words: Words) -> str:
    actor, amount, meter = session.actor(words.word("NAME")), words.number("AMOUNT"), words.option("meter")
    words.done()
    result: HealResult = actor.heal(amount, meter)
    return _said(session, result, f"{shown(result.restored)} of {shown(amount)} restored")


@command("drain NAME AMOUNT [meter=]", "takes from a meter, past guard and shields", "drain ana 5 meter=air")
def _drain(session: Session, words: Words) -> str:
    actor, amount, meter = session.actor(words.word("NAME")), words.number("AMOUNT"), words.option("meter")
    words.done()
    result: ChangeResult = actor.drain(amount, meter)
    return _said(session, result, f"{shown(result.amount)} drained")


@command("revive NAME [fraction=]", "brings a dead actor back", "revive ana fraction=0.5")
def _revive(session: Session, words: Words) -> str:
    actor, fraction = session.actor(words.word("NAME")), words.option_number("fraction")
    words.done()
    return _said(session, actor.revive(1.0 if fraction is None else fraction), f"{actor.id} lives")


def _meter(session: Session, path: str) -> tuple[Any, str]:
    name, dot, meter = path.partition(".")
    if not dot:
        raise UsageError(f"{path!r} names no meter; write NAME.METER, such as {name}.suit")
    return session.actor(name), meter


@command("set NAME.METER VALUE", "sets a meter by hand", "set ana.suit 40")
def _set(session: Session, words: Words) -> str:
    path, value = words.word("NAME.METER"), words.number("VALUE")
    words.done()
    actor, meter = _meter(session, path)
    return _said(session, actor[meter].set(value), f"{path} is {shown(value)}")


@command(
    "set_max NAME.METER VALUE [keep=]",
    "sets a maximum; keep= value, fraction or missing",
    "set_max ana.suit 110 keep=missing",
)
def _set_max(session: Session, words: Words) -> str:
    path, value, keep = words.word("NAME.METER"), words.number("VALUE"), words.option("keep", "value")
    words.done()
    actor, meter = _meter(session, path)
    result = actor[meter].set_max(value, keep)
    return _said(session, result, f"{path} is {shown(actor[meter].value)} of {shown(value)}")


# tags and statuses


@command("tag NAME TAG", "sets a tag", "tag ana submerged")
def _tag(session: Session, words: Words) -> str:
    actor, tag = session.actor(words.word("NAME")), words.word("TAG")
    words.done()
    return _said(session, actor.tag(tag), f"{actor.id} is {tag}")


@command("untag NAME TAG", "takes a tag away", "untag ana submerged")
def _untag(session: Session, words: Words) -> str:
    actor, tag = session.actor(words.word("NAME")), words.word("TAG")
    words.done()
    return _said(session, actor.untag(tag), f"{actor.id} is not {tag}")


@command("status NAME STATUS [by=] [lasts=]", "puts an actor under a status", "status ana venom")
def _status(session: Session, words: Words) -> str:
    actor, status, by, lasts = (
        session.actor(words.word("NAME")),
        words.word("STATUS"),
        words.option("by"),
        words.option_number("lasts"),
    )
    words.done()
    result = actor.status(status, lasts=lasts, source=session.actor(by) if by else None)
    return _said(session, result, f"{actor.id} is under {status}")


@command("cure NAME STATUS", "ends a status before its time", "cure ana venom")
def _cure(session: Session, words: Words) -> str:
    actor, status = session.actor(words.word("NAME")), words.word("STATUS")
    words.done()
    return _said(session, actor.cure(status), f"{actor.id} is rid of {status}")


def _of(session: Session, words: Words) -> tuple[Any, str]:
    pulse, name = words.word("PULSE"), words.option("of")
    words.done()
    if not name:
        raise UsageError("of= is missing: whose pulse?")
    return session.actor(name), pulse


@command("pause PULSE of=", "pauses a pulse, which keeps its place", "pause haul of=winch1")
def _pause(session: Session, words: Words) -> str:
    actor, pulse = _of(session, words)
    return _said(session, actor.pause(pulse), f"{pulse} of {actor.id} pauses")


@command("resume PULSE of=", "lets a paused pulse go on", "resume haul of=winch1")
def _resume(session: Session, words: Words) -> str:
    actor, pulse = _of(session, words)
    return _said(session, actor.resume(pulse), f"{pulse} of {actor.id} goes on")


# goods


@command("place PICKUP [NAME…] [INPUT=…]", "lays pickups out", "place sealant kit mends=60")
def _place(session: Session, words: Words) -> str:
    pickup, given, inputs = words.word("PICKUP"), session.all_free(words.all()), words.numbers()
    made = [session.placed(session.world.place(pickup, name, **inputs)) for name in given or [""]]
    session.result = Result()
    return f"{', '.join(made)} {'lies' if len(made) == 1 else 'lie'} there"


@command("take ACTOR PLACEMENT", "takes a placement", "take ana kit")
def _take(session: Session, words: Words) -> str:
    actor, placement = session.actor(words.word("ACTOR")), session.placement(words.word("PLACEMENT"))
    words.done()
    return _said(session, actor.take(placement), f"{actor.id} takes {placement.id}")


def _goods(verb: str) -> Run:
    def run(session: Session, words: Words) -> str:
        actor, name = (
            session.actor(words.word("NAME")),
            words.word("CURRENCY" if verb in ("earn", "spend") else "ITEM"),
        )
        amount = words.number("N", None if verb in ("earn", "spend") else 1)
        words.done()
        result: ChangeResult = getattr(actor, verb)(name, amount)
        over = f", {result.over} did not fit" if result.over else ""
        return _said(session, result, f"{result.amount} {name}{over}")

    return run


command("earn NAME CURRENCY N", "gains money", "earn ana scrip 10")(_goods("earn"))
command("spend NAME CURRENCY N", "spends money, all or nothing", "spend ana scrip 4")(_goods("spend"))
command("give NAME ITEM [N]", "gives an item, all or nothing", "give ana pearl 2")(_goods("give"))
command("remove NAME ITEM [N]", "takes an item away, all or nothing", "remove ana pearl")(_goods("remove"))


@command("exchange NAME EXCHANGE [times=]", "sells, buys or crafts", "exchange ana harbour_office")
def _exchange(session: Session, words: Words) -> str:
    actor, name, times = (
        session.actor(words.word("NAME")),
        words.word("EXCHANGE"),
        words.option_number("times"),
    )
    words.done()
    result = actor.exchange(name, None if times is None else to_whole("times", times))
    return _said(session, result, f"{name}, {result.times} times")


@command("score NAME N", "adds points", "score ana 40")
def _score(session: Session, words: Words) -> str:
    actor, points = session.actor(words.word("NAME")), to_whole("N", words.number("N"))
    words.done()
    return _said(session, actor.add_score(points), f"{points} points")


@command("lives NAME N", "adds lives", "lives ana 1")
def _lives(session: Session, words: Words) -> str:
    actor, count = session.actor(words.word("NAME")), to_whole("N", words.number("N"))
    words.done()
    result = actor.add_lives(count)
    return _said(session, result, f"{counted(int(result.amount), 'life', 'lives')}, {actor.lives} now")


@command("xp NAME LEVELS N", "gains experience", "xp ana rank 60")
def _xp(session: Session, words: Words) -> str:
    actor, levels, amount = session.actor(words.word("NAME")), words.word("LEVELS"), words.number("N")
    words.done()
    result = actor.gain_xp(levels, to_whole("N", amount))
    return _said(
        session,
        result,
        f"{levels} {actor.levels[levels]}, {actor.levels[levels].xp} in all, {actor.levels[levels].left} to "
        "the next",
    )


@command("rate NAME RATING [INPUT=…]", "gives stars for what was done", "rate ana dive")
def _rate(session: Session, words: Words) -> str:
    actor, rating = session.actor(words.word("NAME")), words.word("RATING")
    result = actor.rate(rating, **words.numbers())
    return _said(
        session,
        result,
        f"{result.stars} of {result.of} stars "
        f"({shown(result.measure)}){'; missing: ' + result.advice if result.advice else ''}",
    )


@command("start_rating NAME RATING [INPUT=…]", "measures a rating from now on", "start_rating ana dive")
def _start_rating(session: Session, words: Words) -> str:
    actor, rating = session.actor(words.word("NAME")), words.word("RATING")
    result = actor.start_rating(rating, **words.numbers())
    return _said(session, result, f"{rating} is measured from now on")


@command("team NAME TEAM", "lets an actor change sides", "team ana south")
def _team(session: Session, words: Words) -> str:
    actor, team = session.actor(words.word("NAME")), words.word("TEAM")
    words.done()
    return _said(session, session.world.set_team(actor, team), f"{actor.id} stands with {team}")


@command(
    "match start|end|pause|resume [NAME]",
    "starts, ends, pauses or resumes a match",
    "match start salvage_race",
)
def _match(session: Session, words: Words) -> str:
    what, name = words.word("start|end|pause|resume"), words.word("NAME", "")
    words.done()
    if what not in ("start", "end", "pause", "resume"):
        raise UnknownNameError("word", what, ("start", "end", "pause", "resume"))
    if not name:
        running = [found for found, match in session.world.matches.items() if match.running]
        if what == "start" or len(running) != 1:
            trouble = "which match?" if running or what == "start" else "no match is running"
            raise UsageError(f"NAME is missing: {trouble} ({', '.join(session.design.tables.matches)})")
        name = running[0]
    match = session.world.match(name)
    result: Result = getattr(match, what)()
    table = ", ".join(f"{place.side} {place.score}" for place in match.standings)
    text = f"{name} {what}s"
    text += f": {table}" if table and what != "start" else ""
    text += f", won by {match.winner}" if match.winner else ""
    return _said(session, result, text)


def _quest(verb: str, done: str) -> Run:
    def run(session: Session, words: Words) -> str:
        actor, quest = session.actor(words.word("NAME")), words.word("QUEST")
        words.done()
        return _said(session, getattr(actor, verb)(quest), f"{quest}: {done}, {actor.quests[quest].state}")

    return run


command("accept NAME QUEST", "begins a quest", "accept ana drowned_bells")(_quest("accept", "accepted"))
command("turn_in NAME QUEST", "turns a ready quest in", "turn_in ana drowned_bells")(
    _quest("turn_in", "turned in")
)
command("abandon NAME QUEST", "gives a quest up", "abandon ana drowned_bells")(_quest("abandon", "given up"))
command("fail NAME QUEST", "lets a quest fail", "fail ana drowned_bells")(_quest("fail", "failed"))


@command("grant NAME ACHIEVEMENT", "gives an achievement, once for ever", "grant ana eel_bane")
def _grant(session: Session, words: Words) -> str:
    actor, achievement = session.actor(words.word("NAME")), words.word("ACHIEVEMENT")
    words.done()
    return _said(session, actor.grant(achievement), f"{actor.id} achieves {achievement}")


@command(
    "announce NAME EVENT [FIELD=…]", "an event the host saw", "announce ana reached place=wreck depth=18"
)
def _announce(session: Session, words: Words) -> str:
    actor, event = session.actor(words.word("NAME")), words.word("EVENT")
    own = session.design.tables.events
    types = own[event].fields if event in own else {}
    fields = {
        name: to_number(f"{name}=", value) if types.get(name) == "number" else value
        for name, value in words.options.items()
    }
    words.options = {}
    words.done()
    actor.announce(event, **fields)
    session.result = Result()
    return f"{actor.id}: {event}"


# time


def _span(what: str, seconds: float, least: float = 0) -> float:
    """Return a number of seconds that may pass at once."""
    if not least <= seconds <= LONGEST:
        raise AmountError(what, seconds, f"a number of seconds from {least:g} to {LONGEST:,}")
    return seconds


def _pass(session: Session, seconds: float, step: float | None) -> str:
    world = session.world
    if step is None:
        if session.frame is None:
            world.advance(seconds)
        else:
            length, after = session.frame
            end = world.now_us + round(seconds * 1e6)
            while world.now_us < end:
                world.advance(microseconds=min(round(length * 1e6), end - world.now_us))
                after()
        return f"{shown(world.now)} s"
    if seconds / _span("step=", step, SHORTEST_FRAME) > 1_000_000:
        raise UsageError("that is more than a million frames; take a longer step=")
    passed = 0
    frames = int(seconds / step + 1e-9)
    for _ in range(frames):
        world.advance(step)
        passed += 1
    rest = seconds - frames * step
    if rest > 1e-9:
        world.advance(rest)
        passed += 1
    return f"{shown(world.now)} s, in {passed} frames"


@command("advance SECONDS [step=]", "lets time pass; step= cuts it into frames", "advance 3")
def _advance(session: Session, words: Words) -> str:
    seconds, step = _span("the time to pass", words.number("SECONDS")), words.option_number("step")
    words.done()
    session.result = Result()
    return _pass(session, seconds, step)


@command("until SECONDS [step=]", "lets time pass up to an instant", "until 2.5")
def _until(session: Session, words: Words) -> str:
    instant, step = _span("the instant", words.number("SECONDS"), -LONGEST), words.option_number("step")
    words.done()
    world = session.world
    left = round(instant * 1e6) - world.now_us
    if left < 0:
        raise UsageError(
            f"it is {shown(world.now)} s already, and time does not go back; undo and restore do"
        )
    session.result = Result()
    if step is None:
        world.advance(microseconds=left)
        return f"{shown(world.now)} s"
    return _pass(session, left / 1e6, step)


# saves


def _store(session: Session) -> Any:
    if session.store is None:
        from cleaver.saves import open_store  # a database is slow to import; only runs that save need one

        session.store = open_store("sqlite://", session.design)
    return session.store


@command("save NAME", "saves a player into the store of this run", "save ana")
def _save(session: Session, words: Words) -> str:
    actor = session.actor(words.word("NAME"))
    words.done()
    info = _store(session).save(session.world.profile(actor))
    session.world.saved(actor, info.revision)
    session.result = Result()
    return f"{actor.id} is saved as revision {info.revision}, {info.size} bytes"


@command(
    "store ok|fail N|slow SECONDS",
    "lets the store of this run meet trouble, as one far away would",
    "store fail 3",
    acts=False,
)
def _store_trouble(session: Session, words: Words) -> str:
    from cleaver.saves import Trouble  # a database is slow to import

    what, number = words.word("ok|fail|slow"), words.number("N", 0)
    words.done()
    if what not in ("ok", "fail", "slow"):
        raise UnknownNameError("word", what, ("ok", "fail", "slow"))
    failing, slow = (to_whole("N", number) if what == "fail" else 0), (number if what == "slow" else 0.0)
    _store(session).trouble = None if what == "ok" else Trouble(failing=failing, slow=slow)
    return {
        "ok": "the store answers",
        "fail": f"the next {shown(number)} calls of the store fail",
        "slow": f"the store takes {shown(number)} s",
    }[what]


@command("load NAME [from=]", "puts back what was saved", "load ana")
def _load(session: Session, words: Words) -> str:
    actor, source = session.actor(words.word("NAME")), words.option("from")
    words.done()
    if source:
        from cleaver.saves.document import decode_file  # as above

        beside = session.folder / source if session.folder is not None else None
        profile = _store(session).versions.carry(
            decode_file(str(beside) if beside is not None and beside.exists() else source, actor.id)
        )
    else:
        profile = _store(session).read(actor.id)
    if profile is None:
        session.result = Result("no_change")
        return f"{actor.id} was never saved"
    session.world.load(actor, profile)
    session.result = Result()
    return f"{actor.id} is as it was saved"


@command("snapshot NAME", "keeps the whole world, to come back to", "snapshot before", acts=False)
def _snapshot(session: Session, words: Words) -> str:
    name = words.word("NAME")
    words.done()
    if len(session.snapshots) >= MAX_SNAPSHOTS and name not in session.snapshots:
        raise UsageError(f"a run keeps at most {MAX_SNAPSHOTS} snapshots; use one of their names again")
    session.snapshots[name] = session.remembered()
    return f"kept as {name}"


@command("restore NAME", "comes back to a snapshot", "restore before")
def _restore(session: Session, words: Words) -> str:
    name = words.word("NAME")
    words.done()
    if name not in session.snapshots:
        raise UnknownNameError("snapshot", name, tuple(session.snapshots))
    session.go_back(session.snapshots[name])
    session.result = Result()
    return f"as it was at {name}, {shown(session.world.now)} s"


@command(
    "record on|off|expect [FILE]",
    "writes down what is typed; expect adds what is true now",
    "record expect",
    acts=False,
)
def _record(session: Session, words: Words) -> str:
    from cleaver.script.recording import Recording  # only where somebody records

    what, file = words.word("on|off|expect"), words.word("FILE", "")
    words.done()
    if what not in ("on", "off", "expect"):
        raise UnknownNameError("word", what, ("on", "off", "expect"))
    if what == "on" and file:
        if not session.remember:  # a script from a stranger writes no files
            raise UsageError("a script records nothing by itself; play it with --record FILE")
        if session.started:
            raise UsageError(
                "a recording begins with a fresh world, or what came before would be missing from it; play "
                "with --record FILE"
            )
        session.recording = Recording(session, FilePath(file), session.file)
    recording = session.recording
    if recording is None:
        raise UsageError(
            "nothing is being recorded; write record on FILE before anything else, or play with --record FILE"
        )
    if what == "expect":
        return "\n".join(
            [
                f"added to {recording.file.name}:",
                *(f"    {line}" for line in recording.expect() or ["nothing: nothing changed"]),
            ]
        )
    recording.on = what == "on"
    return f"{recording.file.name} {'is written' if recording.on else 'is left as it is, until record on'}"


def _typed_only(session: Session, words: Words) -> str:
    raise UsageError("this is for the prompt, where time runs by itself; in a script write advance SECONDS")


command("run", "at the prompt: lets time run; pause alone stops it", "run", acts=False)(_typed_only)
command("speed N", "at the prompt: how fast time runs", "speed 4", acts=False)(_typed_only)
command("choose [NAME]", "at the prompt: whom to look at in detail", "choose ana", acts=False)(_typed_only)


# looking


@command("show [NAME]", "shows everyone, or one", "show ana", acts=False)
def _show(session: Session, words: Words) -> str:
    from cleaver.script.looking import describe  # the only command that draws

    name = words.word("NAME", "")
    words.done()
    return describe(session.world, name)


@command("why NAME.PATH", "tells a value as a story, back to where it began", "why ana.suit", acts=False)
def _why(session: Session, words: Words) -> str:
    from cleaver.hud.telling import tale  # only where somebody asks

    path = words.word("NAME.PATH")
    words.done()
    return "\n".join(
        f"{'    ' if number else ''}{line}" for number, line in enumerate(tale(session.world.why(path)))
    )


@command("events [N]", "shows the latest events", "events 5", acts=False)
def _events(session: Session, words: Words) -> str:
    count = to_whole("N", words.number("N", 10))
    words.done()
    from cleaver.script.looking import latest_events  # as above

    events = latest_events(session.world, count)
    return "\n".join([f"the latest {counted(len(events), 'event')}", *(f"    {line}" for line in events)])


@command("help [COMMAND]", "lists commands", "help hit", acts=False)
def _help(session: Session, words: Words) -> str:
    name = words.word("COMMAND", "")
    words.done()
    if name:
        found = find(name)
        return f"{found.usage}\n    {found.help}\n    for example: {found.example}"
    lines = [f"    {theme:<18}{' '.join(names)}" for theme, names in THEMES.items()]
    return "\n".join(["help COMMAND says how one is written, with an example: help hit", *lines])
