"""Promises about the project itself: imports, names, documents, errors."""

from __future__ import annotations

import ast
import json
import os
import pickle
import re
import subprocess
import sys
import tomllib
from graphlib import CycleError, TopologicalSorter
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
from cleaver.design.design import schema
from cleaver.design.keys import REQUIRED
from cleaver.design.vocabulary import ANYWHERE, BESIDE, VERBS, BesideVerb, Verb

ROOT = Path(__file__).parent.parent.parent
HEAVY = {"numpy", "pandas", "scipy", "matplotlib", "sqlalchemy", "textual", "pydantic", "rich"}
ORDER = [
    "cli",
    "figures",
    "prompt",
    "window",
    "lab",
    "rooms",
    "journals",
    "script",
    "hud",
    "tables",
    "saves",
    "core",
    "design",
]


def loaded_by(code: str) -> set[str]:
    """Return the top-level modules that a fresh interpreter has loaded after *code*."""
    told = subprocess.run(
        [
            sys.executable,
            "-c",
            f"{code}\nimport sys; print(*sorted({{name.partition('.')[0] for name in sys.modules}}))",
        ],
        capture_output=True,
        text=True,
        check=True,
    )
    return set(told.stdout.splitlines()[-1].split())


def test_importing_cleaver_loads_nothing_heavy() -> None:
    assert not loaded_by("import cleaver") & (HEAVY | {"click", "dataclasses", "inspect"})


def test_naming_a_world_does_not_load_the_rules() -> None:
    told = subprocess.run(
        [
            sys.executable,
            "-c",
            "import cleaver, sys; cleaver.World; before = {*sys.modules};"
            "cleaver.World(cleaver.Design.from_dict({'actors': {'crate': {}}}));"
            "print(*[name for name in ('vitals.hits', 'quests.quests', 'contests.matches')"
            " if ('cleaver.core.' + name in before) or ('cleaver.core.' + name not in sys.modules)])",
        ],
        capture_output=True,
        text=True,
        check=True,
    )

    assert told.stdout.split() == []


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
GROUND = (
    "__main__",
    "dice",
    "errors",
    "events",
    "face",
    "files",
    "formula",
    "literals",
    "named",
    "opening",
    "parsing",
    "rounding",
    "table",
    "visible",
    "__init__",
)  # single modules that stand below the rooms, or only open them


CORE = {
    "kernel": 0,
    "stats": 1,
    "vitals": 2,
    "goods": 2,
    "abilities": 3,
    "contests": 3,
    "quests": 4,
    "clocks": 5,
}  # a package of core may import those below it, and itself


def imported(source: str) -> list[str]:
    """Return the names of all modules that some source imports, however that is written; a relative one
    begins with a dot."""
    names = []
    for node in ast.walk(ast.parse(source)):
        if isinstance(node, ast.Import):
            names += [alias.name for alias in node.names]
        elif isinstance(node, ast.ImportFrom):
            module = node.module or ""
            below = node.level or module == "cleaver" or module == "cleaver.core"
            names += (
                [f"{'.' * node.level}{module}.{alias.name}" for alias in node.names] if below else [module]
            )
    return names


def wrong_imports(source: str, package: str) -> list[str]:
    """Return the imports in the source of one package, such as "hud" or "core/goods", that go against the
    arrows."""
    room, _, topic = package.partition("/")
    wrong = []
    for name in imported(source):
        parts = name.split(".")
        other = parts[1] if parts[0] == "cleaver" and len(parts) > 1 else ""
        part = parts[2] if other == "core" and len(parts) > 2 else ""
        against = (
            other in ORDER and ORDER.index(other) < ORDER.index(room) and (room, other) != ("hud", "saves")
        )
        level, there = CORE.get(topic, 9), CORE.get(part, 9 if other == "core" else -1)
        sideways = room == "core" and part != topic and there >= level and level < 9
        if (
            name.startswith(".")
            or (name == "cleaver" and room != "cli")
            or other in OPEN
            or against
            or sideways
        ):
            wrong.append(name)
    return wrong


FORBIDDEN = [
    ("core", "from cleaver.saves import Store"),
    ("core", "import cleaver.hud.vitals.bar"),
    ("core", "from cleaver import hud"),
    ("design", "from ..core import world"),
    ("core", "import cleaver"),
    ("design", "def late():\n    from cleaver.core.world import World"),
    ("core", "import json, cleaver.script.session as s"),
    ("hud", "from cleaver.testing import expect"),
    ("core/kernel", "from cleaver.core.vitals.meters import Vitals"),
    ("core/vitals", "from cleaver.core.goods import goods"),
    ("core/goods", "if TYPE_CHECKING:\n    from cleaver.core.quests.quests import Quests"),
    ("core/contests", "import cleaver.core.quests.offers"),
    ("core/quests", "from cleaver.core import world"),
]


@pytest.mark.parametrize(("package", "planted"), FORBIDDEN)
def test_an_import_against_the_arrows_is_found_however_it_is_written(package: str, planted: str) -> None:
    assert wrong_imports(planted, package) != []


SOUND = [
    ("core", "from cleaver.design.design import Design"),
    ("cli", "import cleaver.core.world"),
    ("core", "import json"),
    ("core", "from cleaver.errors import UsageError"),
    ("core/quests", "from cleaver.core.goods.goods import Goods"),
    ("core/vitals", "from cleaver.core.vitals import course"),
    ("core/goods", "import cleaver.core.kernel.stage"),
]


@pytest.mark.parametrize(("package", "sound"), SOUND)
def test_an_import_along_the_arrows_is_not(package: str, sound: str) -> None:
    assert wrong_imports(sound, package) == []


def circle(imports: dict[str, list[str]]) -> list[str]:
    """Return modules that need each other in a circle, by what each of them imports; none where there are
    none."""
    try:
        tuple(TopologicalSorter(imports).static_order())
    except CycleError as error:
        found: list[str] = error.args[1]
        return found
    return []


INSIDE = ()
"""What Cleaver's own modules share and a user is not to be offered: the parts of a world, the state behind a
handle."""


def foreign(source: str) -> list[str]:
    """Return the underscore attributes that a module uses and does not own: none of its classes has such a
    slot, method or field."""
    tree = ast.parse(source)
    own = {node.name for node in ast.walk(tree) if isinstance(node, ast.FunctionDef)}
    used = []
    for node in ast.walk(tree):
        if isinstance(node, ast.AnnAssign | ast.Assign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            for target in targets:
                own |= {part.id for part in ast.walk(target) if isinstance(part, ast.Name)}
        if isinstance(node, ast.Constant) and isinstance(node.value, str):
            own.add(node.value)  # a slot
        if not isinstance(node, ast.Attribute) or not node.attr.startswith("_") or node.attr.startswith("__"):
            continue
        if isinstance(node.value, ast.Name) and node.value.id in ("self", "cls"):
            own.add(node.attr)
        elif node.attr not in (
            "_replace",
            "_asdict",
            "_fields",
            "_exit",
            "_pts",
            *INSIDE,
        ):  # public, for all that
            used.append(node.attr)
    return sorted(set(used) - own)


def test_no_module_reaches_into_the_underscore_attributes_of_another() -> None:
    files = [*(ROOT / "src/cleaver").rglob("*.py")]

    assert {str(file): foreign(file.read_text(encoding="utf-8")) for file in files} == {
        str(file): [] for file in files
    }
    assert foreign("def look(actor): return actor._body.kind") == ["_body"]


def test_no_modules_need_each_other_not_even_for_types() -> None:
    files = {
        ".".join(file.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__"): file
        for file in (ROOT / "src/cleaver").rglob("*.py")
    }
    imports: dict[str, list[str]] = {}
    for module, file in files.items():
        found = []
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.ImportFrom):
                inner = [f"{node.module}.{alias.name}" for alias in node.names]
                found += [name if name in files else str(node.module) for name in inner]
            elif isinstance(node, ast.Import):
                found += [alias.name for alias in node.names]
        # The package itself brings names in when they are asked for
        imports[module] = [name for name in found if name in files and name not in (module, "cleaver")]

    assert len(imports) > 100
    assert circle(imports) == []
    assert circle({**imports, "cleaver.errors": ["cleaver.core.world"]})


def test_imports_point_one_way() -> None:
    wrong = []
    for file in (ROOT / "src/cleaver").rglob("*.py"):
        parts = file.relative_to(ROOT / "src/cleaver").with_suffix("").parts
        package = f"core/{parts[1]}" if parts[0] == "core" and len(parts) > 2 else parts[0]
        if parts[0] in ORDER:
            wrong += [
                f"{'/'.join(parts)}: {name}"
                for name in wrong_imports(file.read_text(encoding="utf-8"), package)
            ]
        else:
            assert parts[0] in (*OPEN, *GROUND, "sample"), f"{parts[0]} has no place in ORDER"
        assert package.partition("/")[2] in ("", *CORE), f"{package} has no place in CORE"
    assert wrong == []


ERRORS = [
    errors.UnknownNameError("meter", "suits", ("suit", "air"), "diver"),
    errors.AmountError("the amount", -5, "0 or more"),
    errors.FormulaError("a +", "cannot be read", "rules[1]"),
    errors.UsageError("no"),
    errors.GoneError("actor", "ana"),
    errors.BusyError("advance"),
    errors.RunawayRulesError(10, ["rules[1]"]),
    errors.DesignError([errors.Problem("a.toml", 3, "actors", "is missing", "add it")]),
    errors.ScriptError("a.play", 3, "hurt", "no"),
    errors.BaselineError("a.jsonl", 3, "is no line"),
    errors.SnapshotError("no"),
    errors.MissingExtraError("drawing", "figures"),
    errors.SaveError("no"),
    errors.StoreCorruptError("no"),
    errors.StoreUnavailableError("no"),
    errors.ProfileDamagedError("no"),
]


@pytest.mark.parametrize("error", ERRORS, ids=lambda error: type(error).__name__)
def test_errors_survive_pickling_and_share_an_ancestor(error: errors.CleaverError) -> None:
    again = pickle.loads(pickle.dumps(error))

    assert str(again) == str(error)
    assert isinstance(error, errors.CleaverError)


def test_an_unknown_name_says_what_where_and_what_would_be_right() -> None:
    assert str(ERRORS[0]) == "unknown meter 'suits' on diver; did you mean 'suit'? (it has: suit, air)"


def test_the_typed_events_are_as_the_vocabulary_has_them() -> None:
    assert reference.LITERALS.read_text(encoding="utf-8") == reference.literals()
    assert reference.TYPED.read_text(encoding="utf-8") == reference.event_types(), (
        "run python docs/reference.py"
    )


def test_the_reference_pages_are_as_the_code_has_them() -> None:
    for name, write in reference.PAGES.items():
        assert (ROOT / "docs/reference" / name).read_text(encoding="utf-8") == write(), (
            f"{name} is old: run python docs/reference.py"
        )


def test_every_key_of_a_design_is_explained_with_an_example_that_fits() -> None:
    for name in reference.WHERE:
        model = getattr(models, name)
        needed = [key for key in model.declared().values() if key.default is REQUIRED]
        for key in model.declared().values():
            assert key.meaning, f"{name}.{key.written}"
            text = "\n".join(f"{one.written} = {one.example}" for one in {*needed, key})
            model(**tomllib.loads(text))


def test_every_command_has_help_with_an_example_and_a_page_in_the_docs() -> None:
    nav = (ROOT / "mkdocs.yml").read_text(encoding="utf-8")
    for name in COMMANDS:
        page = (ROOT / f"docs/commands/{name}.md").read_text(encoding="utf-8")
        assert f"commands/{name}.md" in nav, name
        assert f"$ cleaver {name} --help\nUsage: cleaver {name}" in page, name
        assert "Example" in page, name
        assert f"`cleaver {name}" in (ROOT / "README.md").read_text(encoding="utf-8"), name


def test_every_page_of_the_docs_is_in_the_contents() -> None:
    nav = (ROOT / "mkdocs.yml").read_text(encoding="utf-8")
    assert [
        page
        for page in (ROOT / "docs").rglob("*.md")
        if page.relative_to(ROOT / "docs").as_posix() not in nav
    ] == []


def test_the_site_builds_strictly_and_names_everything_public(tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "mkdocs", "build", "--strict", "--quiet", "--site-dir", str(tmp_path)],
        cwd=ROOT,
        capture_output=True,
        text=True,
        check=False,
        env={**os.environ, "NO_MKDOCS_2_WARNING": "1"},
    )
    assert done.returncode == 0, done.stdout + done.stderr

    page = (tmp_path / "reference/python/index.html").read_text(encoding="utf-8")
    public = [
        name
        for module in (cleaver, cleaver.hud, cleaver.saves, cleaver.script, cleaver.testing)
        for name in module.__all__
    ]
    assert len(public) > 80
    public.remove("hud")  # a part of its own on the page
    assert [name for name in public if not re.search(rf'id="py-[a-z-]*-{name.lower()}"', page)] == []


def test_the_maps_show_what_is_there() -> None:
    """Packages in the page of architecture, modules in the docstring of `core`, files in the table of changes."""
    source = ROOT / "src/cleaver"
    page = (ROOT / "docs/architecture.md").read_text(encoding="utf-8").partition("## The packages")[2]
    packages = {path.name for path in source.iterdir() if (path / "__init__.py").exists()}
    assert set(re.findall(r"^\| `(\w+)` \|", page, re.MULTILINE)) == packages
    named = set(re.findall(r"`(\w+)`", cleaver.core.__doc__ or ""))
    modules = {path.stem for path in (source / "core").rglob("*.py")} - {"__init__"}
    assert named == modules | {path.name for path in (source / "core").iterdir() if path.is_dir()} - {
        "__pycache__"
    }
    for path in re.findall(r"`([\w/]+\.py)`", (ROOT / "CONTRIBUTING.md").read_text(encoding="utf-8")):
        assert "NAME" in path or any((place / path).exists() for place in (source, ROOT)), path


def test_every_slip_of_the_trade_has_its_recipe() -> None:
    told = re.findall(r"^\| (\d+)\. ", (ROOT / "docs/mistakes.md").read_text(encoding="utf-8"), re.MULTILINE)
    assert [int(number) for number in told] == [*range(1, 76)]


def readme_blocks(language: str) -> list[str]:
    return re.findall(
        rf"```{language}\n(.*?)```", (ROOT / "README.md").read_text(encoding="utf-8"), re.DOTALL
    )


def test_the_readmes_program_prints_what_the_readme_says(tmp_path: Path) -> None:
    program = next(block for block in readme_blocks("python") if "import cleaver" in block)
    (tmp_path / "program.py").write_text(program, encoding="utf-8")
    told = subprocess.run(
        [sys.executable, "program.py"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=True,
        encoding="utf-8",
        env={"PYTHONIOENCODING": "utf-8", "PATH": ""},
    )

    assert told.stdout in readme_blocks("text")


def test_the_pictures_of_the_readme_are_there() -> None:
    shown = re.findall(r"\((docs/screenshots/[^)]+)\)", (ROOT / "README.md").read_text(encoding="utf-8"))

    assert shown
    assert all((ROOT / picture).exists() for picture in shown)
    assert len(list((ROOT / "docs/screenshots").glob("*.png"))) < 20


def test_every_effect_is_explained_with_an_example_that_fits() -> None:
    assert set(BESIDE) == {*ANYWHERE, *(key for spec in VERBS.values() for key in spec.beside)}
    explained: dict[str, Verb | BesideVerb] = {**VERBS, **BESIDE}
    for key, told in explained.items():
        assert told.meaning, key
        rule = models.Rule(**tomllib.loads(f'on = "damaged"\ndo = [ {told.example} ]'))
        effect = rule.do[0]
        assert key == effect.verb or key in effect.written(), key
    page = json.dumps(schema())
    assert "gives back so much of a meter" in page
    assert "by default `self`" in page
