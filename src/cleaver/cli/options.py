"""Options: what several commands take, how it is read, and what Tab completes of it.

``-`` stands for standard input wherever a file is read and for standard output wherever one is written. What
Tab completes is looked up in the design that stands before it on the line; where that cannot be read, nothing
is completed and nothing is said. Start at `design_argument`.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from click.shell_completion import CompletionItem

from cleaver.errors import CleaverError, UsageError
from cleaver.visible import visible

if TYPE_CHECKING:
    from cleaver.design.design import Design
    from cleaver.saves import Store
    from cleaver.table import Table

    _Type = click.ParamType[str]
else:
    _Type = click.ParamType

Named = Callable[[click.Context], Iterable[str]]
DASH = Path("-")


def design_at(path: Path, variant: str = "") -> Design:
    """Return the design in a file, or one of its variants; ``-`` is standard input, TOML, or JSON where it
    begins with a brace."""
    from cleaver.design.design import build, load_design  # only where a design is read, not for `--help`
    from cleaver.design.near import MAX_BYTES
    from cleaver.design.reading import read_text

    if path != DASH:
        return load_design(path, variant)
    text = read_in(MAX_BYTES)
    design = build(read_text(text, "stdin", json_file=text.lstrip().startswith("{")))
    return design.variant(variant) if variant else design


def variant_option() -> Callable[[Any], Any]:
    """Return the option that names a variant of the design."""
    kind = ChoiceOf(lambda context: design_at(context.params["design"]).tables.variants)
    return click.option(
        "--variant", metavar="NAME", type=kind, default="", help="The variant of the design, such as hard."
    )


def script_at(path: Path) -> tuple[list[str], str]:
    """Return the lines of a script and its name; ``-`` is standard input."""
    from cleaver.script.files import read_script  # slow to import, and few need it
    from cleaver.script.lines import MAX_BYTES

    if path != DASH:
        return read_script(path), path.name
    return read_in(MAX_BYTES).splitlines(), "stdin"


def read_in(most: int) -> str:
    """Return standard input as text; longer than *most* bytes, or no UTF-8, is a `UsageError`."""
    data = sys.stdin.buffer.read(most + 1)
    if len(data) > most:
        raise UsageError(f"standard input is more than {most:,} bytes long; nothing was done with it")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UsageError(
            f"standard input is not UTF-8 text (byte {error.start}); nothing was done with it"
        ) from None


def write_out(data: bytes) -> None:
    """Write what was asked for as ``-`` to standard output."""
    sys.stdout.flush()
    sys.stdout.buffer.write(data)
    sys.stdout.buffer.flush()


def form_option(*more: str) -> Callable[[Any], Any]:
    """Return the option that says how to report: as text, as JSON, or in one of *more* ways."""
    return click.option(
        "--format",
        "form",
        type=click.Choice(["text", "json", *more]),
        default="text",
        show_default=True,
        help="How to report.",
    )


def table_option(flag: str, help: str) -> Callable[[Any], Any]:
    """Return the option that names a file for a table; its ending is looked at before anything is done."""

    def look(context: click.Context, option: click.Parameter, file: Path | None) -> Path | None:
        if file not in (None, DASH):
            from cleaver.table import check_ending  # slow to import, and few need it

            check_ending(file)
        return file

    kind = FileOf(".csv", ".parquet", dir_okay=False)
    return click.option(flag, metavar="FILE", type=kind, default=None, callback=look, help=help)


def one_output(form: str, *files: Path | None) -> None:
    """Refuse two things in one place: tables in one file, or a table and JSON on standard output."""
    given = [file for file in files if file is not None]
    if len(set(given)) < len(given):
        raise UsageError(f"{given[0]} can hold one table only; name two files")
    if form == "json" and DASH in given:
        raise UsageError("JSON and a table cannot both go to standard output; name a file for the table")


def write_table(table: Table, file: Path | None) -> None:
    """Write a table into a file, by its ending, if one was named; as CSV to standard output where it is
    ``-``."""
    if file == DASH:
        write_out(visible(table.to_csv()).encode())
    elif file is not None:
        table.write(file)


class ChoiceOf(_Type):
    """A word of a closed list, or of what the design before it names; Tab completes it."""

    name = "text"

    def __init__(self, words: Named) -> None:
        self.words = words

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        """See click."""
        try:
            return [CompletionItem(word) for word in self.words(ctx) if word.startswith(incomplete)]
        except (CleaverError, OSError):
            return []


class FileOf(click.Path):
    """A file with one of these endings; Tab completes it, and folders on the way to it."""

    def __init__(self, *endings: str, **keys: Any) -> None:
        super().__init__(path_type=Path, allow_dash=True, **keys)
        self.endings = endings

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        """See click."""
        return [CompletionItem(path) for path in files_like(incomplete, self.endings)]


def files_like(begun: str, endings: tuple[str, ...]) -> list[str]:
    """Return the files with one of these endings, and the folders, whose path begins so."""
    folder, _, rest = begun.rpartition("/")
    place = Path(f"{folder}/" if begun.startswith("/") else folder or ".")
    try:
        there = sorted(place.iterdir())
    except OSError:
        return []
    before = f"{folder}/" if "/" in begun else ""
    return [
        f"{before}{path.name}{'/' if path.is_dir() else ''}"
        for path in there
        if path.name.startswith(rest)
        and (rest.startswith(".") or not path.name.startswith("."))
        and (path.is_dir() or path.suffix in endings)
    ]


class StoreUrl(_Type):
    """Where profiles are kept; Tab completes stores in files."""

    name = "text"

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        """See click."""
        head = "sqlite:///"
        if len(incomplete) < len(head):
            begun = [CompletionItem(head)] if head.startswith(incomplete) else []
            return begun if incomplete else begun + [CompletionItem(head + name) for name in _stores("")]
        if not incomplete.startswith(head):
            return []
        return [CompletionItem(head + name) for name in _stores(incomplete[len(head) :])]


def _stores(begun: str) -> list[str]:
    return files_like(begun, (".db", ".sqlite", ".sqlite3"))


def design_argument(name: str = "design", **keys: Any) -> Callable[[Any], Any]:
    """Return the argument that names a design file."""
    return click.argument(name, type=FileOf(".toml", ".json"), **keys)


def script_type() -> FileOf:
    """Return the type of an argument that names a script."""
    return FileOf(".play")


def paths_of(ctx: click.Context) -> list[str]:
    """Return the paths of values that `why` explains: of everybody whom the script lets come, all that their
    kind has."""
    design, (lines, _) = design_at(ctx.params["design"]), script_at(ctx.params["script"])
    tables = design.tables
    found: dict[str, None] = {}
    counts: dict[str, int] = {}
    for line in lines:
        words = line.split("#")[0].split()
        if len(words) < 2 or words[0] not in ("join", "spawn") or words[1] not in tables.actors:
            continue
        counts[words[1]] = counts.get(words[1], 0) + 1
        plain = len(words) > 2 and "=" not in words[2]
        actor = words[2] if plain else f"{words[1]}#{counts[words[1]]}"
        kind = tables.actors[words[1]]
        parts = [*kind.meters]
        if kind.player:
            parts += [*tables.currencies, *tables.items, *tables.levels, *tables.quests, "score"]
        found.update(dict.fromkeys(f"{actor}.{part}" for part in parts))
    return list(found)


def players_of(ctx: click.Context) -> list[str]:
    """Return the players of the store on the line."""
    return _looked_up(ctx, lambda store: store.players())


def boards_of(ctx: click.Context) -> list[str]:
    """Return the high-score tables of the store on the line."""
    return _looked_up(ctx, lambda store: store.boards())


def _looked_up(ctx: click.Context, of: Callable[[Store], list[str]]) -> list[str]:
    from cleaver.opening import open_store  # only where a store is looked into

    url = ctx.params.get("url")
    if not url:
        return []
    with open_store(url, design_at(ctx.params["design"]), read_only=True) as store:
        return of(store)
