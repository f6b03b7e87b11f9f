"""The shape of the code: how long modules are, how many names mean two things."""

from __future__ import annotations

import ast
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

SRC = Path(__file__).parents[2] / "src/cleaver"
FILES = sorted(SRC.rglob("*.py"))
TREES = {str(file.relative_to(SRC)): ast.parse(file.read_text(encoding="utf-8")) for file in FILES}
NAMED_FOR_WORDS = ("cli/", "script/commands/", "design/models/", "core/kernel/event_types.py")
"""Where a name is the word that a user types: a command, a table of a design, an event."""


def functions(tree: ast.AST) -> Iterator[ast.FunctionDef | ast.AsyncFunctionDef]:
    return (node for node in ast.walk(tree) if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef))


def test_no_module_is_longer_than_600_lines() -> None:
    lengths = {name: len((SRC / name).read_text(encoding="utf-8").splitlines()) for name in TREES}
    assert {name: length for name, length in lengths.items() if length > 600} == {}


def test_long_functions_are_few_and_known() -> None:
    """Loops that every event or hit of a game goes through, and the list of what a world is made of."""
    found = {
        node.name
        for tree in TREES.values()
        for node in functions(tree)
        if (node.end_lineno or 0) - node.lineno >= 60
    }
    assert found == {"give_out", "_strike", "moments", "effects", "__init__", "command"}


def test_no_class_has_more_than_40_methods() -> None:
    found = {
        node.name: sum(isinstance(one, ast.FunctionDef | ast.AsyncFunctionDef) for one in node.body)
        for tree in TREES.values()
        for node in ast.walk(tree)
        if isinstance(node, ast.ClassDef) and node.name != "Listens"  # overloads
    }
    assert {name: count for name, count in found.items() if count > 40} == {}


def test_a_top_level_name_stands_in_one_module() -> None:
    counts = Counter(
        node.name
        for name, tree in TREES.items()
        if not name.startswith(NAMED_FOR_WORDS)
        for node in tree.body
        if isinstance(node, ast.ClassDef | ast.FunctionDef) and not node.name.startswith("_")
    )
    assert len([name for name, count in counts.items() if count > 1]) <= 10


def test_comments_say_why_where_it_is_not_plain() -> None:
    assert not [name for name in TREES if "# as above" in (SRC / name).read_text(encoding="utf-8")]
