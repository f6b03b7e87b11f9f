"""Formulas: what they give, and that hostile ones are errors at load, never a hang."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cleaver import FormulaError
from cleaver.formula import Names, Type
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
