"""Runner: carries out scripts line by line, and tells what came of each.

Carries out itself the commands that are about other lines: `expect`, `expect_error`, `repeat`, `undo`. Start
at `play`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from typing import NamedTuple

from cleaver.core.kernel.events import Event
from cleaver.core.kernel.results import Result
from cleaver.core.wording import sentence
from cleaver.errors import (
    CleaverError,
    ReactionError,
    ScriptError,
    StoppedError,
    UnknownNameError,
    UsageError,
)
from cleaver.rounding import counted, shown
from cleaver.script import commands as _all_commands  # noqa: F401  # fills the table
from cleaver.script.blocks import CLOSE, NO_BLOCK, Block, Line, items, opens, times
from cleaver.script.command import COMMANDS, find
from cleaver.script.lines import MAX_LINE
from cleaver.script.session import Inner, Session, Step
from cleaver.script.truth import told_sides

Tell = Callable[[Step], None]
Carry = Callable[[Session, int, str], Step]
DURING = re.compile(r"during=(\d+) (.+)")


class Outcome(NamedTuple):
    """How a script went: lines carried out, expectations held and failed."""

    lines: int
    held: int
    failed: int

    @property
    def exit_code(self) -> int:
        """0 if every expectation held, else 1."""
        return 1 if self.failed else 0


def execute(session: Session, line: int, text: str) -> Step:
    """Carry out one line.

    Raises:
        CleaverError: The line is wrong; nothing has changed.
    """
    if len(text) > MAX_LINE and not session.journaled:
        raise UsageError(f"the line is {len(text):,} characters long; at most {MAX_LINE:,}")
    session.turn()
    name, _, rest = text.partition(" ")
    found = find(name)
    if name == "expect":
        return _expect(session, line, text, rest)
    if name == "expect_error":
        return _expect_error(session, line, text, rest)
    if name in ("undo", "redo"):
        if rest.strip():
            raise UsageError(f"{name} stands alone; write it again for one command more")
        return _go(session, line, text, back=name == "undo")
    session.fresh = []
    if found.acts:
        session.new = {}
    said = _repeat(session, rest) if name == "repeat" else found.run(session, rest)
    session.started = session.started or (found.acts and name not in ("seed", "record"))
    return Step(line, text, said, tuple(session.fresh) if found.acts else ())


def carry_out(session: Session, line: int, text: str) -> Step:
    """Carry out one line as somebody gave it, and record it where that is on; raises as `execute` does.

    Lines of a block that is open are kept until it is closed.
    """
    if session.block or opens(text) or text == CLOSE:
        return _collect(session, line, text)
    return _as_one(session, text, lambda: execute(session, line, text), in_part=False)


def _as_one(session: Session, text: str, do: Callable[[], Step], *, in_part: bool) -> Step:
    """Carry out what `undo` takes back as one, and record it.

    Where it is wrong, it goes back to where it began if some of it may have acted (*in_part*).
    """
    past = session.past
    try:
        step = do()
    except ReactionError:  # the command itself was carried out
        if past is not None:
            past.note(text)
        raise
    except CleaverError as error:
        if past is not None:  # half of a command is no state that a script could come to
            past.drop(back=in_part or isinstance(error, StoppedError))
        raise
    acted = find(text.partition(" ")[0]).acts if past is None else past.note(text)
    if session.recording is not None:
        session.recording.note(step, acts=acted)
    return step


def _collect(session: Session, line: int, text: str) -> Step:
    """Keep a line of a block; carry the block out with the line that closes it."""
    if text == CLOSE and not session.block:
        raise UsageError(NO_BLOCK)
    session.block.append(text)
    depth = sum(map(opens, session.block)) - session.block.count(CLOSE)
    if depth:
        return Step(line, text, f"kept until the block is closed by {CLOSE}")
    lines, session.block = session.block, []
    (block,) = items(lines, "block")
    assert isinstance(block, Block)
    text = f"{block.opened.text} … {CLOSE}"
    return _as_one(session, text, lambda: _carried_out(session, line, block), in_part=True)


def _carried_out(session: Session, line: int, block: Block) -> Step:
    """Carry out a block that somebody typed."""
    steps: list[Step] = []
    _run(session, block, "block", steps.append, do=execute)
    events = tuple(event for step in steps for event in step.events)
    wrong = [f"{step.text}: {step.said}" for step in steps if step.failed]
    said = f"{len(steps)} lines carried out" + (f"; {'; '.join(wrong[:3])}" if wrong else "")
    return Step(line, block.written(), said, events, bool(wrong))


def _repeat(session: Session, rest: str) -> str:
    if session.journaled:  # whose limits are those of its length
        raise UsageError("repeat is no line of a journal; write a script without `journal 1`")
    number, _, inner = rest.strip().partition(" ")
    if not number:
        raise UsageError(f"N is missing; write: {COMMANDS['repeat'].usage}")
    count = times(number)
    inner = inner.strip()
    name, _, words = inner.partition(" ")
    found = find(name)
    if not found.acts or name == "seed":
        raise UsageError(f"repeat takes a command that acts, not {name!r}")
    said = "done 0 times"
    for _ in range(count):
        session.new = {}
        session.turn()
        said = _repeat(session, words) if name == "repeat" else found.run(session, words)
    return f"{said} ({counted(count, 'time')})" if count else said


def _expect(session: Session, line: int, text: str, rest: str) -> Step:
    sides = told_sides(session, rest)
    if not sides:
        return Step(line, text, "holds")
    session.failures += 1
    return Step(line, text, f"does not hold: {'; '.join(sides)}", failed=True)


def _expect_error(session: Session, line: int, text: str, rest: str) -> Step:
    name, _, _ = rest.strip().partition(" ")
    found = COMMANDS.get(name)
    if found is None:
        raise UnknownNameError("command", name, tuple(COMMANDS))
    before, kept = session.world.snapshot(), session.result
    latest = session.world
    try:
        execute(session, line, rest.strip())
    except ReactionError:
        trouble = "the command was carried out, and a reaction failed"
    except CleaverError as error:
        session.result = kept
        if session.world is latest and session.world.snapshot() == before:
            return Step(line, text, f"is an error: {_first_line(error)}")
        trouble = "is an error, but something changed"
    else:
        refused = session.result.blocked
        trouble = f"is no error: {f'refused: {refused}' if refused else 'it was done'}"
    session.failures += 1
    return Step(line, text, f"does not hold: {trouble}", failed=True)


def _first_line(error: CleaverError) -> str:
    return str(error).partition("\n")[0]


def _go(session: Session, line: int, text: str, *, back: bool) -> Step:
    """Take the last line back, or bring the one that was taken back again."""
    if session.past is None:
        raise UsageError(f"{text} works where one types; in a script use snapshot and restore")
    done = session.past.go(back=back)
    session.result = Result(done=not back)
    session.new = {}
    return Step(line, text, f"{'took' if back else 'brought'} back: {done}")


def play(
    session: Session, lines: Iterable[str], *, file: str = "script", tell: Tell | None = None
) -> Outcome:
    """Carry out a script.

    Args:
        session: The run.
        lines: The lines of the script.
        file: Its name, for messages.
        tell: Called with each `Step` as it is done.

    Raises:
        ScriptError: A line that is wrong, with file, line, its words and what would be right. What came
            before it stays.
    """
    done = held = failed = 0

    def told(step: Step) -> None:
        nonlocal done, held, failed
        done += 1
        if step.text.startswith(("expect ", "expect_error ")):
            held += not step.failed
            failed += step.failed
        if tell is not None:
            tell(step)

    for item, inner in _with_inner(session, items(lines, file), file):
        within: list[Step] = []  # told after the line that they are within
        session.inner, session.carry_out_inner = {}, partial(_inner, session, file, within.append)
        for one in inner:
            session.inner.setdefault(one.event, []).append(one)
        if not _run(session, item, file, told):
            break
        late = [one for each in session.inner.values() for one in each]
        session.inner = {}
        session.carry_out_inner(late)  # their events have not come, such as under another design
        for step in within:
            told(step)
    return Outcome(done, held, failed)


def _with_inner(
    session: Session, found: Iterator[Line | Block], file: str
) -> Iterator[tuple[Line | Block, list[Inner]]]:
    """Yield the lines of a script, each with those that were given inside the delivery of its events.

    Only a journal has such lines: else no line waits for the next one.
    """
    waiting: Line | Block | None = None
    inner: list[Inner] = []
    for item in found:
        during = DURING.match(item.text) if isinstance(item, Line) else None
        if during is not None and isinstance(item, Line):
            if waiting is None:
                raise ScriptError(
                    file, *item, "during= stands after a line of a journal; write journal 1 first"
                )
            inner.append(Inner(item.number, during[2], int(during[1])))
            continue
        if waiting is not None:
            yield waiting, inner
            waiting, inner = None, []
        if session.journaled:
            waiting = item
        else:
            yield item, []
    if waiting is not None:
        yield waiting, inner


def _inner(session: Session, file: str, tell: Tell, lines: list[Inner]) -> None:
    """Carry out what listeners commanded, inside the delivery of their event."""
    for line in lines:
        name, _, rest = line.text.partition(" ")
        try:
            said = find(name).run(session, rest)
        except ReactionError as error:
            said = _first_line(error)
        except CleaverError as error:
            raise ScriptError(file, line.line, line.text, str(error)) from error
        tell(Step(line.line, f"during={line.event} {line.text}", said))


def _run(
    session: Session,
    item: Line | Block,
    file: str,
    tell: Tell,
    do: Callable[[Session, int, str], Step] = carry_out,
) -> bool:
    """Carry out a line, or the lines of a block as often as it says; returns whether the script goes on."""
    if isinstance(item, Block):
        if session.journaled:
            raise UsageError("a journal holds no blocks; write a script without `journal 1`")
        return all(_run(session, inner, file, tell, do) for _ in range(item.turns) for inner in item.body)
    if item.text in ("quit", "exit"):
        return False
    try:
        step = do(session, item.number, item.text)
    except ReactionError as error:
        wrong = next((one for one in error.exceptions if isinstance(one, ScriptError)), None)
        if not session.journaled or wrong is not None:
            raise (wrong or ScriptError(file, item.number, item.text, str(error))) from error
        # It failed in the game as well, or was carried out there without what failed here.
        step = Step(item.number, item.text, _first_line(error), tuple(session.fresh))
    except CleaverError as error:
        raise ScriptError(file, item.number, item.text, str(error)) from error
    tell(step)
    return True


def step_lines(step: Step, now: float, *, events: bool = True) -> list[str]:
    """Return a step as lines of text: the command, what came of it, and the events that followed with their
    causes."""
    mark = "✗ " if step.failed else ""
    lines = [f"{mark}{step.text}  → {step.said}"]
    if events:
        lines += [f"    {event_line(event, now)}" for event in step.events]
    return lines


def event_line(event: Event, now: float) -> str:
    """Return an event as a line: its number, when (unless it was now), what, and its cause."""
    when = f" at {shown(event.time)} s" if abs(event.time - now) > 1e-9 else ""
    cause = f"  ← #{event.cause}" if event.cause else ""
    return f"#{event.seq}{when}  {sentence(event)}{cause}"
