"""Promises about the project itself: imports, names, documents, errors."""

from __future__ import annotations

import ast
import os
import pickle
import re
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest
import reference

import cleaver
import cleaver.saves
import cleaver.script
import cleaver.testing
from cleaver import errors
from cleaver.cli.main import COMMANDS
from cleaver.design import models
from cleaver.design.keys import KEYS

ROOT = Path(__file__).parent.parent
HEAVY = {"numpy", "pandas", "scipy", "matplotlib", "sqlalchemy", "textual", "pydantic", "rich"}
ORDER = ["cli", "report", "prompt", "lab", "script", "hud", "saves", "core", "design"]


def loaded_by(code: str) -> set[str]:
    """Return the top-level modules that a fresh interpreter has loaded after *code*."""
    told = subprocess.run([sys.executable, "-c", f"{code}\nimport sys; print(*sorted({{name.partition('.')[0] for name in sys.modules}}))"],
                          capture_output=True, text=True, check=True)
    return set(told.stdout.splitlines()[-1].split())


def test_importing_cleaver_loads_nothing_heavy() -> None:
    assert not loaded_by("import cleaver") & (HEAVY | {"click", "dataclasses", "inspect"})


def test_help_loads_nothing_heavy() -> None:
    code = "import sys; sys.argv = ['cleaver', '--help']\nimport cleaver.cli.main\ntry:\n cleaver.cli.main.main()\nexcept SystemExit: pass"

    assert not loaded_by(code) & HEAVY


def test_the_public_names_are_sorted_there_and_documented() -> None:
    assert cleaver.__all__ == sorted(cleaver.__all__)
    for name in cleaver.__all__:
        found = getattr(cleaver, name)
        assert found.__doc__, name
        for attribute, value in vars(found).items() if isinstance(found, type) else ():
            assert attribute.startswith("_") or not callable(value) or value.__doc__, f"{name}.{attribute}"


OPEN = ("testing",)  # what may import any room, and is imported by none
GROUND = ("__main__", "errors", "face", "formula", "opening", "parsing", "rounding", "__init__")  # single modules that stand below the rooms, or only open them


def wrong_imports(source: str, room: str) -> list[str]:
    """Return the imports in the source of one room that go against the arrows, however they are written."""
    names = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            module = node.module or ""
            if node.level:
                names.append(f"relative import of {module or '.'}")
            elif module == "cleaver":
                names += [f"cleaver.{alias.name}" for alias in node.names]
            else:
                names.append(module)
    wrong = [name for name in names if name.startswith("relative") or (name == "cleaver" and room != "cli")]
    for name in names:
        other = name.split(".")[1] if name.startswith("cleaver.") else ""
        if other in OPEN or (other in ORDER and ORDER.index(other) < ORDER.index(room) and (room, other) != ("hud", "saves")):
            wrong.append(name)
    return wrong


@pytest.mark.parametrize(("room", "planted"), [
    ("core", "from cleaver.saves import Store"), ("core", "import cleaver.hud.bar"), ("core", "from cleaver import hud"), ("design", "from ..core import world"), ("core", "import cleaver"),
    ("design", "def late():\n    from cleaver.core.world import World"), ("core", "import json, cleaver.script.session as s"), ("hud", "from cleaver.testing import expect")])
def test_an_import_against_the_arrows_is_found_however_it_is_written(room: str, planted: str) -> None:
    assert wrong_imports(planted, room) != []


@pytest.mark.parametrize(("room", "sound"), [("core", "from cleaver.design.design import Design"), ("cli", "import cleaver.core.world"), ("core", "import json"), ("core", "from cleaver.errors import UsageError")])
def test_an_import_along_the_arrows_is_not(room: str, sound: str) -> None:
    assert wrong_imports(sound, room) == []


def test_imports_point_one_way() -> None:
    wrong = []
    for file in (ROOT / "src/cleaver").rglob("*.py"):
        parts = file.relative_to(ROOT / "src/cleaver").with_suffix("").parts
        room = parts[0]
        if room in ORDER:
            wrong += [f"{'/'.join(parts)}: {name}" for name in wrong_imports(file.read_text(encoding="utf-8"), room)]
        else:
            assert room in (*OPEN, *GROUND, "sample"), f"{room} has no place in ORDER"
    assert wrong == []


ERRORS = [errors.UnknownNameError("meter", "suits", ("suit", "air"), "diver"), errors.AmountError("the amount", -5, "0 or more"),
          errors.FormulaError("a +", "cannot be read", "rules[1]"), errors.UsageError("no"), errors.GoneError("actor", "ana"), errors.BusyError("advance"),
          errors.RunawayRulesError(10, ["rules[1]"]), errors.DesignError([errors.Problem("a.toml", 3, "actors", "is missing", "add it")]),
          errors.ScriptError("a.play", 3, "hurt", "no"), errors.BaselineError("a.jsonl", 3, "is no line"), errors.SnapshotError("no"), errors.MissingExtraError("drawing", "figures"), errors.SaveError("no"),
          errors.StoreCorruptError("no"), errors.StoreUnavailableError("no"), errors.ProfileDamagedError("no")]


@pytest.mark.parametrize("error", ERRORS, ids=lambda error: type(error).__name__)
def test_errors_survive_pickling_and_share_an_ancestor(error: errors.CleaverError) -> None:
    again = pickle.loads(pickle.dumps(error))

    assert str(again) == str(error) and isinstance(error, errors.CleaverError)


def test_an_unknown_name_says_what_where_and_what_would_be_right() -> None:
    assert str(ERRORS[0]) == "unknown meter 'suits' on diver; did you mean 'suit'? (it has: suit, air)"


def test_the_reference_pages_are_as_the_code_has_them() -> None:
    for name, write in reference.PAGES.items():
        assert (ROOT / "docs/reference" / name).read_text(encoding="utf-8") == write(), f"{name} is old: run python docs/reference.py"


def test_every_key_of_a_design_is_explained_with_an_example_that_fits() -> None:
    for name in reference.WHERE:
        model = getattr(models, name)
        keys = {field.alias or key for key, field in model.model_fields.items()}
        assert set(KEYS[name]) == keys, name
        for key, (meaning, example) in KEYS[name].items():
            assert meaning and example, f"{name}.{key}"
            given = tomllib.loads(f"{key} = {example}")
            required = {field.alias or other: KEYS[name][field.alias or other][1] for other, field in model.model_fields.items() if field.is_required()}
            model.model_validate({**tomllib.loads("\n".join(f"{other} = {text}" for other, text in required.items())), **given})


def test_every_command_has_help_with_an_example_and_a_page_in_the_docs() -> None:
    nav = (ROOT / "mkdocs.yml").read_text(encoding="utf-8")
    for name in COMMANDS:
        page = (ROOT / f"docs/commands/{name}.md").read_text(encoding="utf-8")
        assert f"commands/{name}.md" in nav and f"$ cleaver {name} --help\nUsage: cleaver {name}" in page and "Example" in page, name
        assert f"`cleaver {name}" in (ROOT / "README.md").read_text(encoding="utf-8"), name


def test_every_page_of_the_docs_is_in_the_contents() -> None:
    nav = (ROOT / "mkdocs.yml").read_text(encoding="utf-8")
    assert [page for page in (ROOT / "docs").rglob("*.md") if page.relative_to(ROOT / "docs").as_posix() not in nav] == []


def test_the_site_builds_strictly_and_names_everything_public(tmp_path: Path) -> None:
    done = subprocess.run([sys.executable, "-m", "mkdocs", "build", "--strict", "--quiet", "--site-dir", str(tmp_path)], cwd=ROOT, capture_output=True, text=True,
                          check=False, env={**os.environ, "NO_MKDOCS_2_WARNING": "1"})
    assert done.returncode == 0, done.stdout + done.stderr

    page = (tmp_path / "reference/python/index.html").read_text(encoding="utf-8")
    public = [name for module in (cleaver, cleaver.hud, cleaver.saves, cleaver.script, cleaver.testing) for name in module.__all__]
    assert len(public) > 80 and [name for name in public if not re.search(rf'id="[^"]*\.{name}"', page)] == []


def test_every_slip_of_the_trade_has_its_recipe() -> None:
    told = re.findall(r"^\| (\d+)\. ", (ROOT / "docs/recipes.md").read_text(encoding="utf-8"), re.MULTILINE)
    assert [int(number) for number in told] == list(range(1, 61))


def readme_blocks(language: str) -> list[str]:
    return re.findall(rf"```{language}\n(.*?)```", (ROOT / "README.md").read_text(encoding="utf-8"), re.DOTALL)


def test_the_readmes_program_prints_what_the_readme_says(tmp_path: Path) -> None:
    program = next(block for block in readme_blocks("python") if "import cleaver" in block)
    (tmp_path / "program.py").write_text(program, encoding="utf-8")
    told = subprocess.run([sys.executable, "program.py"], cwd=tmp_path, capture_output=True, text=True, check=True, encoding="utf-8",
                          env={"PYTHONIOENCODING": "utf-8", "PATH": ""})

    assert told.stdout in readme_blocks("text")


def test_the_pictures_of_the_readme_are_there() -> None:
    shown = re.findall(r"\((docs/screenshots/[^)]+)\)", (ROOT / "README.md").read_text(encoding="utf-8"))

    assert shown and all((ROOT / picture).exists() for picture in shown)
    assert len(list((ROOT / "docs/screenshots").glob("*.png"))) < 20
