"""Slips of the trade that `check` or loading finds, each planted in Lanternreef and told with its line."""

from __future__ import annotations

from pathlib import Path

import pytest

from cleaver import CleaverError, World, load_design, sample
from helpers import run

REEF = sample.path("lanternreef.toml").read_text(encoding="utf-8")

# What is replaced, by what, and what is told; the line is that of the replacement, so many below it, or where
# a text stands
PLANTED: dict[str, tuple[str, str, int | str, str]] = {
    "7 a reward of zero": (
        '{ xp = "rank", amount = 100 }',
        '{ xp = "rank", amount = 0 }',
        0,
        "[zero_amount]",
    ),
    "70 leaving fills the air up": (
        "[actors.diver.meters.suit]\nmax = 90",
        "[actors.diver.meters.suit]\nsaved = true\nmax = 90",
        "[actors.diver.meters.air]",
        "leaving fills air up",
    ),
    "70 leaving cures the venom": (
        "[actors.diver.meters.suit]\nmax = 90",
        "[actors.diver.meters.suit]\nsaved = true\nmax = 90",
        "[statuses.venom]",
        'diver\'s suit is: leaving cures venom; add "statuses" to `[saves] include` [leaving_cures]',
    ),
    "73 more points than the stage holds": (
        'do = [ { score = "40 * max(self.record.eel_run, 1)" }, { xp = "rank", amount = 40 } ]',
        'do = [ { score = 1 }, { xp = "rank", amount = 40 } ]',
        'rating = "dive"',
        "asks for 120 points, and all there is in shallows is 102: 2 of 3 stars; lay out more",
    ),
    "7 an attack never filled in": ("amount = 15\n", "", -1, "amount: is missing"),
    "6 healing with the sign flipped": (
        "mends = 25",
        "mends = -25",
        1,
        "is −25 at its defaults (mends = -25)",
    ),
    "6 poison with the sign flipped": ("{ hurt = 2,", "{ hurt = -2,", 0, "the direction is in the verb"),
    "6 armour with the sign flipped": ("armour = 1\n", "armour = -1\n", 0, "is -1; it must be 0 or more"),
    "7 a price of nothing": ("gives = { scrip = 15 }", "gives = { scrip = 0 }", 0, "[zero_amount]"),
    "15 a missing cooldown": ("amount = 15\ncooldown = 0.5", "amount = 15", -1, "[contact_every_frame]"),
    "17 a division by those who stand near": (
        'amount = "6 + 6 * charge"',
        'amount = "12 / near(6)"',
        0,
        "[divides_by_zero]",
    ),
    "17 a division in what a pulse earns": (
        'amount = 6, to = "owner"',
        'amount = "6 / (nearby - 1)", to = "owner"',
        0,
        "[divides_by_zero]",
    ),
    "18 an unknown zone": (
        "zones = { visor = 3 }",
        "zones = { visor = 3, helm = 2 }\nscale = \"2 if zone == 'hlem' else 1\"",
        1,
        "hlem",
    ),
    "18 an unknown item": ("costs = { pearl = 1 }", "costs = { perl = 1 }", 0, "did you mean 'pearl'?"),
    "18 an unknown status": (
        'do = [ { status = "venom" } ]',
        'do = [ { status = "venon" } ]',
        0,
        "did you mean 'venom'?",
    ),
    "25 points for a repeated report": (
        'on = "untagged"\ntag = "submerged"\ndo = [ { cure = "drowning" } ]',
        'on = "reached"\nplace = "belfry"\ndo = [ { score = 5 } ]',
        -1,
        "[repeated_announce]",
    ),
    "30 a typed total that cannot be held": (
        'hold = "pearl", count = 2',
        'hold = "pearl", count = 7',
        0,
        "[goal_never_met]",
    ),
    "42 a giver with nothing to say": ('active = "The bells wait.", ', "", 0, "[missing_giver_text]"),
    "48 an event misspelt": ('on = "emptied"', 'on = "emptyed"', 0, "did you mean 'emptied'?"),
    "a circular need": (
        'needs = [ "self.rank >= 2" ]',
        "needs = [ 'self.quest.drowned_bells == \"completed\"' ]",
        0,
        "[circular_needs]",
    ),
    "a money circle": (
        "gives = { scrip = 20 }",
        "gives = { pearl = 8 }\n[exchanges.fence]\ncosts = { pearl = 1 }\ngives = { fitting = 1 }",
        -2,
        "[money_circle]",
    ),
}


@pytest.mark.parametrize("name", PLANTED)
def test_a_planted_slip_is_told_with_its_line(tmp_path: Path, name: str) -> None:
    old, new, offset, told = PLANTED[name]
    assert REEF.count(old) >= 1, name
    planted = REEF.replace(old, new, 1)
    if isinstance(offset, str):  # it is told where that stands
        line = planted[: planted.index(offset)].count("\n") + 1
    else:
        line = REEF[: REEF.index(old)].count("\n") + 1 + offset
    file = tmp_path / "lanternreef.toml"
    file.write_text(planted, encoding="utf-8")

    code, out, _ = run("check", file.name, cwd=tmp_path)

    assert code == 1, f"{line}: {out}"
    assert any(row.startswith(f"lanternreef.toml:{line}: ") and told in row for row in out.splitlines()), (
        f"{line}: {out}"
    )


def test_lanternreef_itself_holds_none() -> None:
    assert run("check", str(sample.path("lanternreef.toml")))[0] == 0


@pytest.mark.parametrize(
    ("slip", "call", "told"),
    [
        (6, "ana.hurt(-5)", "0 or more"),
        (6, "ana.heal(-5)", "0 or more"),
        (17, "ana.hurt(float('nan'))", "finite"),
        (18, "eel.hit(ana, 'stnig')", "did you mean 'sting'?"),
        (18, "eel.hit(ana, 'sting', zone='vizor')", "did you mean 'visor'?"),
        (18, "ana.give('perl')", "did you mean 'pearl'?"),
        (18, "ana.accept('frist_light')", "did you mean 'first_light'?"),
        (48, "world.listen('healt', print)", "did you mean 'healed'?"),
        (48, "ana.announce('reach', place='x', depth=1)", "did you mean 'reached'?"),
        (57, "ana['suit'].set(float('inf'))", "finite"),
        (57, "ana.earn('scrip', 1.5)", "whole"),
    ],
)
def test_wrong_use_is_an_error_that_names_the_right_one(slip: int, call: str, told: str) -> None:
    world = World(load_design(sample.path("lanternreef.toml")))
    ana, eel = world.join("diver", "ana"), world.spawn("eel")
    before = world.snapshot()

    with pytest.raises(CleaverError, match=told.replace("?", r"\?")):
        eval(call, {"world": world, "ana": ana, "eel": eel, "print": print})
    assert world.snapshot() == before, slip
