"""`cleaver saves`: the profiles in a store, for people."""

from __future__ import annotations

import getpass
import json
import sys
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click
from rich.progress import track
from rich.table import Table

from cleaver import files, tables
from cleaver.cli.options import (
    DASH,
    ChoiceOf,
    FileOf,
    StoreUrl,
    boards_of,
    design_argument,
    design_at,
    form_option,
    one_output,
    players_of,
    read_in,
    table_option,
    write_table,
)
from cleaver.cli.printing import cell, console, say, say_json, say_table
from cleaver.core.profile import Profile
from cleaver.core.wording import value_text
from cleaver.design.design import Design
from cleaver.errors import CleaverError, ProfileBusyError, SaveError, UnknownNameError, UsageError, unreadable
from cleaver.opening import open_store
from cleaver.rounding import counted
from cleaver.saves import DamagedProfile, Found, Store, unknown_to
from cleaver.saves.document import FORMAT, decode
from cleaver.saves.engines import file_of
from cleaver.saves.files import private, replace
from cleaver.table import Table as Rows
from cleaver.visible import visible

MOST_CHANGES = 10  # of one correction that `audit` shows
MAX_IMPORT = 2**30  # bytes of a file of profiles


def _name() -> str:
    """Return who corrects something, for the audit trail."""
    try:
        return f"cleaver saves, {getpass.getuser()}"
    except (OSError, KeyError, ImportError):  # a user without a name
        return "cleaver saves"


@contextmanager
def _open(design: Path, url: str, *, writes: bool = False) -> Iterator[tuple[Design, Store]]:
    """Give the design and the store a command is about, closed at the end; one that only reads makes
    nothing."""
    loaded = design_at(design)
    with open_store(url, loaded, name=_name(), read_only=not writes) as store:
        if store.missing:
            say(f"note: {store.label} has lost its last {counted(store.missing, 'transaction')}", err=True)
        yield loaded, store


def _arguments(command: Any) -> Any:
    command = click.option(
        "--store",
        "url",
        metavar="URL",
        type=StoreUrl(),
        required=True,
        help="Where the profiles are, such as sqlite:///saves.db.",
    )(command)
    return design_argument()(command)


why_option = click.option(
    "--why",
    default="",
    metavar="TEXT",
    help="The reason, for the audit trail: one line, at most 400 characters.",
)


@click.group("saves")
def command() -> None:
    """List, show, export, import, verify, back up, restore and preview saved profiles, and see who has them.

    \b
    Example:  cleaver saves list lanternreef.toml --store sqlite:///saves.db
    """


def _table(*titles: str) -> Table:
    """Return an empty table; counts stand to the right."""
    table = Table(box=None, pad_edge=False, padding=(0, 3, 0, 0))
    for title in titles:
        counts = title in ("revision", "bytes", "players", "rank", "score")
        table.add_column(title, justify="right" if counts else "left", no_wrap=title != "", overflow="fold")
    return table


def _watch(items: Iterable[str], what: str) -> Iterator[str]:
    """Go through *items* with a progress bar, where somebody is watching."""
    rows = list(items)
    if sys.stderr.isatty() and len(rows) > 20:
        yield from track(rows, description=what, console=console(err=True), transient=True)
    else:
        yield from rows


@command.command("list", short_help="list every player")
@_arguments
@form_option()
@table_option("--table", "Write the list as a table too: .csv or .parquet.")
def list_(design: Path, url: str, form: str, table: Path | None) -> None:
    """List every player: revision, when saved, how large, who has it.

    \b
    Example:  cleaver saves list lanternreef.toml --store sqlite:///saves.db
    """
    one_output(form, table)
    with _open(design, url) as (_, store):
        found = tables.saves(store)
    rows = _table("player", "revision", "saved", "bytes", "")
    for player, revision, saved, size, holder in found:
        when = "no generation" if saved is None else _moment(saved)
        busy = f"in use by {holder}" if holder is not None else ""
        rows.add_row(cell(player), str(revision), when, str(size), cell(busy))
    write_table(found, table)
    _report(found, form, rows, "nobody was saved here yet", piped=table == DASH)


def _report(found: Rows, form: str, shown: Table, nothing: str, *, piped: bool) -> None:
    """Report rows as JSON, or as they are *shown*, or say that there is *nothing*; with *piped*, standard
    output holds a table already."""
    if form == "json":
        say_json([dict(zip(found.columns, row, strict=True)) for row in found])
    elif not len(found):
        say(nothing, err=piped)
    elif not piped:
        say_table(shown)


def _moment(seconds: float) -> str:
    """Return a time since 1970 as the clock on the wall shows it here."""
    return time.strftime("%Y-%m-%d %H:%M:%S", time.localtime(seconds))


@command.command("scores", short_help="show the high-score tables")
@_arguments
@click.argument("board", required=False, default="", type=ChoiceOf(boards_of))
@click.option("--limit", type=click.IntRange(1), default=10, show_default=True, help="How many of each.")
@form_option()
@table_option("--table", "Write all of them as a table: .csv or .parquet, or - for CSV.")
def scores(design: Path, url: str, board: str, limit: int, form: str, table: Path | None) -> None:
    """Show the best scores of every high-score table, or of one BOARD.

    \b
    Example:  cleaver saves scores lanternreef.toml --store sqlite:///saves.db
    """
    one_output(form, table)
    with _open(design, url) as (_, store):
        known = tuple(store.boards())
        if board and board not in known:
            raise UnknownNameError("board", board, known)
        found = tables.scores(store, board, most=limit)
        whole = tables.scores(store, board) if table is not None else found
    rows = _table("board", "rank", "player", "score")
    for name, rank, player, score in found:
        rows.add_row(cell(name), str(rank), cell(player), str(score))
    write_table(whole, table)
    _report(found, form, rows, "no score was kept here yet", piped=table == DASH)


@command.command("show", short_help="show a profile as a person reads it")
@_arguments
@click.argument("player", type=ChoiceOf(players_of))
@form_option()
def show(design: Path, url: str, player: str, form: str) -> None:
    """Show a profile as a person reads it.

    \b
    Example:  cleaver saves show lanternreef.toml ana --store sqlite:///saves.db
    """
    with _open(design, url) as (loaded, store):
        outcome = store.load(player)
        if isinstance(outcome, DamagedProfile):
            raise SaveError(
                f"profile {player} cannot be read: {'; '.join(outcome.tried)}. Nothing was changed"
            )
        if not isinstance(outcome, Found):
            raise UsageError(f"{player} was never saved here; `cleaver saves list` names who was")
        if form == "json":
            say_json(_plain(outcome.profile), sort_keys=True)
            return
        holder = store.holder_of(player)
        kept = ", ".join(str(revision) for revision, _, _ in store.revisions(player))
        say(
            f"{player}: revision {outcome.revision}, version {outcome.profile.version}; generations {kept}; "
            f"{f'in use by {holder.name}' if holder is not None else 'not in use'}"
        )
        if outcome.note:
            say(f"  note: {outcome.note}")
        for section, data in outcome.profile.sections.items():
            say(f"  {section}")
            for name, value in data.items():
                say(f"    {name}: {_words(section, value)}")
        for lost in unknown_to(outcome.profile, loaded):
            say(f"  note: {lost} is unknown to this design; it is kept aside")


def _words(section: str, value: Any) -> str:
    if section == "quests":
        goals = ", ".join(f"{goal['progress']:g}/{goal['target']:g}" for goal in value["goals"])
        often = counted(value["completions"], "time")
        return f"{value['state'] or 'not accepted'}; goals {goals}; completed {often}"
    if section == "achievements":
        ranks = ", ".join(rank for rank in value["achieved"] if rank)
        return f"achieved {ranks}".strip() if value["achieved"] else "under way"
    if section == "statuses":
        lefts = ", ".join(
            "no end" if one["left"] is None else f"{one['left'] / 1e6:g} s left" for one in value
        )
        return f"{counted(len(value), 'stack')}: {lefts}"
    if section == "levels":
        return f"{value['xp']} experience"
    if section == "records":
        return f"{value['total']:g}"
    return json.dumps(value) if isinstance(value, (dict, list)) else value_text(value)


def _plain(profile: Profile) -> dict[str, Any]:
    return {
        "format": FORMAT,
        "player": profile.player,
        "version": profile.version,
        "sections": profile.sections,
    }


@command.command("export", short_help="write profiles as JSON")
@_arguments
@click.argument("players", nargs=-1, type=ChoiceOf(players_of))
@click.option(
    "--out",
    type=FileOf(".json", ".jsonl"),
    help="A .json file for one player, .jsonl for many; by default stdout.",
)
def export(design: Path, url: str, players: tuple[str, ...], out: Path | None) -> None:
    """Write profiles as JSON: one as a file of its own, several a line each; all players unless some are
    named.

    \b
    Example:  cleaver saves export lanternreef.toml --store sqlite:///saves.db --out all.jsonl
    """
    if out == DASH:
        out = None
    if out is not None and out.exists():
        raise UsageError(f"{out} is there already; name another file")
    with _open(design, url) as (_, store):
        lines, failed = [], 0
        names = list(players) or store.players()
        for player in _watch(names, "exporting"):
            try:
                profile = store.read(player)
            except SaveError as error:
                failed += 1
                say(str(error), err=True)
                continue
            if profile is None:
                raise UsageError(f"{player} was never saved here")
            lines.append(json.dumps(_plain(profile), sort_keys=True))
        body = "\n".join(lines) + "\n" if lines else ""
        if out is None:
            say(body, nl=False)
        else:
            try:
                with private(out) as file:
                    file.write(body.encode())
            except OSError as error:
                raise UsageError(f"{out} cannot be written: {error.strerror}") from None
            say(f"{counted(len(lines), 'profile')} written to {out}")
    sys.exit(1 if failed else 0)


@command.command("import", short_help="read profiles that export wrote")
@_arguments
@click.argument("file", type=FileOf(".json", ".jsonl", exists=True, dir_okay=False))
@why_option
def import_(design: Path, url: str, file: Path, why: str) -> None:
    """Read profiles that `export` wrote, a line each or one over many lines, and save each as its player's
    newest revision; one a game has is left alone.

    \b
    Example:  cleaver saves import lanternreef.toml all.jsonl --store sqlite:///saves.db
    """
    try:
        lines = _documents(read_in(MAX_IMPORT) if file == DASH else files.read(file, MAX_IMPORT).decode())
    except UnicodeDecodeError as error:
        raise SaveError(f"{file.name} is not UTF-8 text (byte {error.start}); nothing was imported") from None
    except OSError as error:
        raise SaveError(f"{file.name} {unreadable(error)}; nothing was imported") from None
    except files.TooLongError as error:
        raise SaveError(
            f"{file.name} is {error.size:,} bytes long, and {MAX_IMPORT:,} are read at once; nothing "
            "was imported"
        ) from None
    left = 0
    with _open(design, url, writes=True) as (_, store):
        profiles = []
        for number, line in lines:
            try:
                profiles.append(store.versions.carry(decode(line.encode())))
            except CleaverError as error:
                raise SaveError(f"{file.name}:{number}: {error}; nothing was imported") from None
        for profile in profiles:
            try:
                info = store.correct(profile, why=why, what="import", detail=file.name)
                say(f"{info.player}: revision {info.revision}")
            except ProfileBusyError as error:
                left += 1
                say(str(error), err=True)
    sys.exit(1 if left else 0)


def _documents(text: str) -> list[tuple[int, str]]:
    """Return (line, text) of each JSON document in a text: one a line, or one over many lines."""
    lines = text.split("\n")
    if text.lstrip().startswith("{") and lines[0].strip() in ("", "{"):
        return [(1, text)]
    return [(number, line) for number, line in enumerate(lines, 1) if line.strip()]


@command.command("verify", short_help="read everything, and check the file")
@_arguments
@form_option()
def verify(design: Path, url: str, form: str) -> None:
    """Read every generation of every player, and check the file itself.

    \b
    Example:  cleaver saves verify lanternreef.toml --store sqlite:///saves.db
    """
    with _open(design, url) as (_, store):
        if form == "json":
            rows = [{"player": player or None, "wrong": str(trouble)} for player, trouble in store.verify()]
            say_json(rows)
            sys.exit(1 if rows else 0)
        wrong = 0
        for player, trouble in store.verify():
            wrong += 1
            say(f"{player or store.label}: {trouble}")
        say(
            f"{counted(wrong, 'problem')}; what can still be read is loaded from older generations"
            if wrong
            else f"{counted(len(store.players()), 'player')}: no errors found"
        )
    sys.exit(1 if wrong else 0)


@command.command("backup", short_help="copy the whole store into a new file")
@_arguments
@click.argument("target", type=click.Path(path_type=Path))
def backup(design: Path, url: str, target: Path) -> None:
    """Copy the whole store into the new file TARGET, also while games use it, and check the copy.

    \b
    Example:  cleaver saves backup lanternreef.toml copy.db --store sqlite:///saves.db
    """
    with _open(design, url) as (_, store):
        made = store.backup(target)
        say(f"{store.label} is backed up to {made}, {made.stat().st_size:,} bytes")


@command.command("restore", short_help="make an older revision the newest")
@_arguments
@click.argument("player", type=ChoiceOf(players_of))
@click.argument("revision", type=int)
@why_option
def restore(design: Path, url: str, player: str, revision: int, why: str) -> None:
    """Make an older REVISION of a PLAYER the newest one; nothing in between is lost.

    \b
    Example:  cleaver saves restore lanternreef.toml ana 4 --store sqlite:///saves.db
    """
    with _open(design, url, writes=True) as (_, store):
        info = store.restore(player, revision, why=why)
        say(f"{player}: revision {revision} is back, as revision {info.revision}")


@command.command("preview", short_help="show what a changed design would do")
@_arguments
def preview(design: Path, url: str) -> None:
    """Show what DESIGN would do to the profiles in a store, before it is played: renames, and what would be
    unknown. Writes nothing.

    \b
    Example:  cleaver saves preview new.toml --store sqlite:///saves.db
    """
    with _open(design, url) as (loaded, store):
        counts: dict[str, int] = {}
        failed = 0
        players = store.players()
        for player in _watch(players, "reading"):
            try:
                profile = store.read(player)
                unknown = unknown_to(profile, loaded) if profile is not None else []
            except CleaverError as error:
                failed += 1
                say(str(error), err=True)
                continue
            for lost in unknown:
                counts[lost] = counts.get(lost, 0) + 1
        for version, renames in sorted(store.versions.renames.items()):
            for old, new in renames.items():
                say(f"version {version} → {version + 1}: {old} becomes {new}")
        for lost, count in sorted(counts.items()):
            say(
                f"{lost} is unknown to this design: {count} of {counted(len(players), 'player')} have it; "
                "it would be kept aside"
            )
        if not counts and not failed:
            say(f"{counted(len(players), 'player')}: everything is known to this design")
    sys.exit(1 if counts or failed else 0)


@command.command("holders", short_help="list the processes that have players")
@_arguments
@form_option()
def holders(design: Path, url: str, form: str) -> None:
    """List the processes that have players now, and how long their leases run.

    \b
    Example:  cleaver saves holders lanternreef.toml --store sqlite:///saves.db
    """
    with _open(design, url) as (_, store):
        table = _table("process", "players", "lease", "id")
        found = [one for one in store.holders() if one.players]
        if form == "json":
            say_json([one._asdict() for one in found])
            return
        for one in found:
            lease = "dead" if one.dead else f"{one.left:.0f} s" if one.left > 0 else "over"
            table.add_row(cell(one.name), str(one.players), lease, one.id)
        if found:
            say_table(table)
        else:
            say("no process has a player now")


@command.command("free", short_help="take all players from a process")
@_arguments
@click.argument("holder", metavar="ID")
@why_option
def free(design: Path, url: str, holder: str, why: str) -> None:
    """Take all players from the process ID, as `holders` lists it, whatever its lease says. What it still
    tries to write is refused.

    \b
    Example:  cleaver saves free lanternreef.toml 3f2a --store sqlite:///saves.db  # 3f2a…
    """
    with _open(design, url, writes=True) as (_, store):
        ids = [one.id for one in store.holders() if one.id.startswith(holder)]
        if len(ids) != 1:
            which = "no process has" if not ids else f"{len(ids)} processes have"
            raise UsageError(f"{which} an id that begins with {holder!r}; `cleaver saves holders` lists them")
        say(f"{counted(store.free(ids[0], why=why), 'player')} free now")


@command.command("forget", short_help="delete all there is of a player")
@_arguments
@click.argument("player", type=ChoiceOf(players_of))
@click.option("--yes", is_flag=True, help="Do not ask.")
@why_option
def forget(design: Path, url: str, player: str, yes: bool, why: str) -> None:
    """Delete all there is of PLAYER in the store: profile, generations, rows of leaderboards, lines of the
    audit trail. Backups that were made before still hold it.

    \b
    Example:  cleaver saves forget lanternreef.toml ana --store sqlite:///saves.db  # asks first
    """
    with _open(design, url, writes=True) as (_, store):
        if not yes:
            click.confirm(f"Delete all there is of {visible(player)}? It cannot be undone", abort=True)
        if not store.forget(player, why=why):
            raise UsageError(f"{player} was never saved here; `cleaver saves list` names who was")
        say(f"{player} is forgotten")


@command.command("copy", short_help="save a profile under another id")
@_arguments
@click.argument("player", type=ChoiceOf(players_of))
@click.argument("to")
@why_option
def copy(design: Path, url: str, player: str, to: str, why: str) -> None:
    """Save the profile of PLAYER under the id TO, that nobody has yet.

    \b
    Example:  cleaver saves copy lanternreef.toml ana ana2 --store sqlite:///saves.db
    """
    with _open(design, url, writes=True) as (_, store):
        info = store.copy(player, to, why=why)
        say(f"{player} is copied to {to}, revision {info.revision}")


@command.command("audit", short_help="list what was corrected by hand")
@_arguments
@click.argument("player", default="", type=ChoiceOf(players_of))
@form_option()
def audit(design: Path, url: str, player: str, form: str) -> None:
    """List what was corrected by hand, oldest first: restore, import, copy, free, forget; of one PLAYER if
    given. It says who did it and why, and what the profile had before and has after.

    \b
    Example:  cleaver saves audit lanternreef.toml --store sqlite:///saves.db
    """
    with _open(design, url) as (_, store):
        lines = store.audit_trail(player)
        if form == "json":
            say_json([line._asdict() for line in lines])
            return
        for line in lines:
            about = f"  {visible(line.player)}" if line.player else ""
            detail = f" ({visible(line.detail)})" if line.detail else ""
            say(f"{_moment(line.at)}  {line.what}{about}{detail}, by {visible(line.who)}")
            if line.why:
                say(f"  why: {visible(line.why)}")
            for path in list({**line.before, **line.after})[:MOST_CHANGES]:
                was, now = (
                    visible(json.dumps(side[path], ensure_ascii=False)) if path in side else "nothing"
                    for side in (line.before, line.after)
                )
                say(f"  {visible(path)}: {was} → {now}")
            left = len({**line.before, **line.after}) - MOST_CHANGES
            if left > 0:
                say(f"  and {counted(left, 'change')} more; --format json has all of them")
        if not lines:
            say("nothing was corrected by hand")


@command.command("restore-store", short_help="put a backup in the place of a store")
@_arguments
@click.argument("backup", metavar="FILE", type=click.Path(path_type=Path))
@why_option
def restore_store(design: Path, url: str, backup: Path, why: str) -> None:
    """Put a copy of the backup FILE in the place of the store, whatever state that is in. The old one is kept
    beside it, with all that stood beside it. Games must be started anew.

    \b
    Example:  cleaver saves restore-store lanternreef.toml copy.db --store sqlite:///saves.db
    """
    loaded = design_at(design)
    path = file_of(url)
    if path.exists():
        try:
            with open_store(url, loaded, read_only=True) as store:
                living = [one.name for one in store.holders() if one.left > 0 and not one.dead]
        except CleaverError:
            living = []  # it cannot be read, which is why it is replaced
        if living:
            raise UsageError(f"{living[0]} uses {path.name}; end it first, or free it")
    aside = replace(path, backup)
    with open_store(url, loaded, name=_name()) as store:
        store.corrected("restore-store", "", backup.name, why=why)
        say(f"{path.name} is {backup.name} now, with {counted(len(store.players()), 'player')}")
    say(f"the old store is kept as {aside.name}" if aside.exists() else "there was no store before")
