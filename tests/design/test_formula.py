"""Formulas: what they give, and that hostile ones are errors at load, never a hang."""

from __future__ import annotations

import re
import types
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import Design, DesignError, FormulaError, World
from cleaver.core.kernel.binder import Binder
from cleaver.core.kernel.reading import reader
from cleaver.design.paths import FormulaNames
from cleaver.formula import Inline, Names, Type
from cleaver.parsing import parse


class Free(Names):
    """Every single name is a number, `tags` are words."""

    def path(self, parts: tuple[str, ...]) -> tuple[Type, Any]:
        return ("words" if parts[-1] == "tags" else "number"), ".".join(parts)


def value(text: str, **names: Any) -> Any:
    return parse(text, Free()).compile(lambda key: lambda scope: scope[key])(names)


@pytest.mark.parametrize(
    ("text", "result"),
    [
        ("6 + 6 * charge", 9.0),
        ("2 / (1 + 3)", 0.5),
        ("7 // 2", 3),
        ("7 % 4", 3),
        ("2 ** 10", 1024),
        ("2 ** -2", 0.25),
        ("-3 + 1", -2),
        ("1 if charge > 1 else 2", 2),
        ("min(3, 2, 5)", 2),
        ("clamp(12, 0, 10)", 10),
        ("round(2.5)", 3),
        ("round(-2.5)", -3),
        ("floor(-1.5)", -2),
        ("ceil(1.2)", 2),
        ("sqrt(16)", 4),
        ("abs(-2)", 2),
        ("1 < 2 < 3", True),
        ("1 and 2", True),
        ("0 or 0.0", False),
        ("not 0", True),
        ('"wet" in tags', True),
        ('"dry" not in tags', True),
        ("4 ** 0.5", 2.0),
    ],
)
def test_formulas_give_what_python_would_with_truths_from_and_or(text: str, result: object) -> None:
    found = value(text, charge=0.5, tags=["wet"])

    assert found == result
    assert isinstance(found, bool) == isinstance(result, bool)


def test_only_the_branch_taken_can_divide_by_zero() -> None:
    assert value("0 if near == 0 else 2 / near", near=0) == 0


@pytest.mark.parametrize(
    "text",
    [
        "(" * 300 + "1" + ")" * 300,
        "-" * 900 + "1",
        "not " * 200 + "1",
        "a" * 1_000_000,
        "9 ** 9 ** 9 ** 9",
        "1e999",
        "9" * 900,
        "0x" + "f" * 900,
        "1 / 0",
        "__import__('os')",
        "a.__class__",
        "_a",
        "(1).real",
        "a.b()",
        "a['b']",
        "[1, 2]",
        "{1}",
        "lambda: 1",
        "(x := 1)",
        "f'{a}'",
        "'word'",
        "b'1'",
        "1j",
        "...",
        "a is b",
        "~a",
        "a @ b",
        "a << 2",
        "min(1)",
        "min(*a)",
        "clamp(1, 2)",
        "sqrt(-1)",
        "tags + 1",
        "tags == 1",
        "'a' == 1",
        "'a' < 'b'",
        "1 in tags",
        "a +",
        "",
        "a if b",
        "yield a",
        "near(6, 'a', 'b')",
        "a\0b",
        "print(1)",
        "1 if 1 else tags",
    ],
)
def test_hostile_or_senseless_text_is_a_formula_error(text: str) -> None:
    with pytest.raises(FormulaError) as caught:
        parse(text, Free())

    assert len(str(caught.value)) < 400


def test_powers_with_names_in_them_are_bounded_when_played() -> None:
    with pytest.raises(ArithmeticError, match="power beyond"):
        value("a ** b", a=2, b=5000)
    with pytest.raises(OverflowError):
        value("a ** b * 1.0", a=1e300, b=9.5)
    assert value("a ** 1000", a=10) == float("inf")  # not a huge whole number; the caller refuses infinities


@given(st.text(alphabet="0123456789.+-*/%() <>=!andorftifelsexyz_'\",[]{}:", max_size=60))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        parse(text, Free())
    except FormulaError:
        pass


@given(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6))
def test_arithmetic_is_pythons_own(a: float, b: float) -> None:
    assert value("a * b - a / 3 + b", a=a, b=b) == a * b - a / 3 + b


def test_numbers_of_scripts_are_equal_within_a_billionth() -> None:
    tolerant = parse("0.1 + 0.2 == 0.3 and 0.3 >= 0.1 + 0.2 and not 0.1 + 0.2 > 0.3", Free(), tolerant=True)
    exact = parse("0.1 + 0.2 == 0.3", Free())

    assert tolerant.compile(lambda key: lambda scope: 0)(None) is True
    assert exact.compile(lambda key: lambda scope: 0)(None) is False


# nothing that a stranger writes runs

MADE = "marker.txt"
RUNS = f"open('{MADE}', 'w')"
IMPORTS = f"__import__('os').system('touch {MADE}')"
TEXTS = [
    "_r0(s)",
    "_r0(s){" + IMPORTS + "}",
    f'_r0(s){{_power.__globals__["__builtins__"]["__import__"]("os").system("touch {MADE}")}}',
    f'_r1(s){{_power.__globals__["__builtins__"]["__import__"]("os").system("touch {MADE}")}}',
    "{read}(s)",
    "{read}",
    "{0}",
    "{0.__class__}",
    "{s.__class__.__mro__}",
    "%(s)s",
    "%s" * 40,
    "$s",
    '" + ' + IMPORTS + ' + "',
    "' + " + IMPORTS + " + '",
    '" if ' + RUNS + ' else "',
    "')) or " + RUNS + " or (('",
    '"""',
    "\\",
    "\\'",
    '\\"',
    "\n",
    "\r\n" + IMPORTS,
    "\u2028" + IMPORTS,
    "\x00",
    "\ud800",
    "#",
    "# -*- coding: rot13 -*-",
    "s",
    "s.stage",
    "s.inputs['f']",
    "_power",
    "_power.__globals__",
    "__builtins__",
    "lambda s: 1",
    "f'{" + RUNS + "}'",
    "what",
    "name",
    "part",
    "read",
    "read(s)",
    "self",
    "north",
    "𝓇0",
    "\N{BULLET}",
]
EXPRESSIONS = [
    IMPORTS,
    RUNS,
    "self.__class__",
    "self.team.__class__",
    "self.team.format(self)",
    "().__class__.__base__.__subclasses__()",
    "f.__class__.__init__.__globals__",
    "(lambda: 1)()",
    "[x for x in (1,)]",
    "{**f}",
    "f'{f}'",
    "(yield f)",
    "await f",
    "f[0]",
    "f.real",
    "s.stage",
    "s",
    "_r0(s)",
    "_r0",
    "_power(9, 9)",
    "_same(1, 1)",
    "bool(1)",
    "read(s)",
    "min(f, key=f)",
    "min(*f)",
    "sqrt.__globals__",
    "near.__self__",
    "near(6)(6)",
    "held(f)",
    "placed('gem').x",
    "(f := 1)",
    "breakpoint()",
    "eval('1')",
    "compile('1', '', 'eval')",
    "getattr(self, 'team')",
    "type(f)",
    "f if f else print",
    "print",
    "1 .__class__",
    "'a'.join('b')",
    "'%s' % f == 'a'",
    "'a' * 1000000000 == 'a'",
    "self.team + 'x' == 'x'",
    "𝓈elf.__class__",
    "ｓ",
    "1; " + RUNS,
    "1\n" + RUNS,
    "import os",
]
NAMED = {"bool", "min", "max", "abs", "floor", "ceil", "round", "clamp", "sqrt", "_power", "_same"}
NAMED |= {"stage", "readable", "inputs", "me", "source", "target"}  # what reads without a call name


def design(amount: str) -> Design:
    actor = {"player": True, "vital": "suit", "meters": {"suit": 90}, "attacks": {"jab": {"amount": amount}}}
    return Design.from_dict(
        {
            "inputs": {"f": 1},
            "teams": {"north": {}},
            "pickups": {"gem": {"do": [{"heal": 1}]}},
            "actors": {"diver": actor},
        }
    )


def dealt(amount: str) -> float:
    world = World(design(amount))
    ana, bea = world.join("diver", "ana", team="north"), world.join("diver", "bea")
    return ana.hit(bea, "jab").dealt


def names_in(code: types.CodeType) -> set[str]:
    inner = [names_in(found) for found in code.co_consts if isinstance(found, types.CodeType)]
    return set(code.co_names).union(*inner)


@pytest.mark.parametrize("text", TEXTS)
def test_a_text_in_a_formula_is_compared_and_never_run(
    text: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)

    try:
        found = dealt(f"5 if f > 0 and self.team == {text!r} else 3")
    except DesignError as error:  # one that no formula can hold
        assert "cannot be read" in str(error)
    else:
        assert found == (5 if text == "north" else 3)
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("text", EXPRESSIONS)
def test_what_is_no_formula_is_an_error_and_never_run(
    text: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)

    with pytest.raises(DesignError, match=r"jab\.amount"):
        dealt(text)
    assert not list(tmp_path.iterdir())


@given(st.one_of(st.text(max_size=30), st.sampled_from(TEXTS)), st.sampled_from(["==", "!="]), st.booleans())
def test_whatever_text_stands_there_it_is_what_comparing_with_it_gives(
    text: str, sign: str, tolerant: bool
) -> None:
    class Words(Free):
        def path(self, parts: tuple[str, ...]) -> tuple[Type, Any]:
            return ("text" if parts == ("word",) else "number"), ".".join(parts)

    try:
        formula = parse(f"x > 0 and word {sign} {text!r}", Words(), tolerant=tolerant)
    except FormulaError:
        assert "\0" in text or any("\ud800" <= letter <= "\udfff" for letter in text) or "\\" in repr(text)
        return

    def read(key: str) -> Any:
        def found(scope: Any) -> Any:
            return scope[key]

        found.inline = Inline("s[name]", name=key)  # type: ignore[attr-defined]
        return found

    play = formula.compile(read)

    for word in (text, text + "x", "_r0(s)", ""):
        assert play({"x": 1, "word": word}) is ((word == text) is (sign == "=="))
    assert names_in(play.__code__) <= {*NAMED, "_r0", "_r1"}


@pytest.mark.parametrize("text", TEXTS)
def test_the_code_of_a_formula_names_nothing_but_the_list(text: str) -> None:
    bound = design("1").known
    try:
        formula = parse(
            f"min(f, self.suit, source.suit.max ** 2) if self.team != {text!r} and near(6) >= 0 else 1",
            FormulaNames(bound, ("self", "source")),
        )
    except FormulaError:
        return
    play = formula.compile(reader)

    assert names_in(play.__code__) <= {*NAMED, *(f"_r{number}" for number in range(9))}
    assert Binder(bound, {}, reader).expression(formula.text, "here", ("self", "source")) is not None


def test_text_becomes_code_in_four_places_that_are_known() -> None:
    """What each does with a text from elsewhere stands in docs/security.md: nothing."""
    root = Path(__file__).parents[2] / "src/cleaver"
    found = {
        str(path.relative_to(root))
        for path in root.rglob("*.py")
        for line in path.read_text().splitlines()
        if re.search(r"(?<![.\w])(exec|eval|compile|literal_eval)\(", line)
        and not line.lstrip().startswith("def ")
    }
    assert found == {"formula.py", "core/kernel/state.py", "core/kept.py", "core/vitals/plans.py"}
