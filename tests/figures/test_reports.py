"""Figures: drawn at the size of a page, from what really happened."""

from __future__ import annotations

from itertools import combinations, pairwise
from pathlib import Path

from hypothesis import example, given
from hypothesis import strategies as st

from cleaver import Actor, Design, World
from cleaver.figures.economy import economy
from cleaver.figures.layers import laid_out
from cleaver.figures.quests import leads, quest_map
from cleaver.figures.results import ScoreRecorder, results_page
from cleaver.figures.timeline import Recorder, draw
from cleaver.figures.vitals import bar_sheet, waterfall
from cleaver.hud import Bar, Stars


def size_of(picture: Path) -> tuple[int, int]:
    """Return (width, height) of a PNG, in dots."""
    head = picture.read_bytes()[:24]
    assert head.startswith(b"\x89PNG")
    return int.from_bytes(head[16:20], "big"), int.from_bytes(head[20:24], "big")


def test_a_recorder_keeps_what_happened_and_the_timeline_is_a_page(
    world: World, ana: Actor, eel: Actor, tmp_path: Path
) -> None:
    recorder = Recorder("ana")
    recorder.watch(world)
    recorder.sample(world)
    eel.hit(ana, "sting", zone="visor", charge=0.5, crit=False)
    world.advance(1)
    ana.heal(3)
    recorder.sample(world)

    assert recorder.samples["suit"] == [
        (0, 90),
        (0, 90),
        (0, 77.5),
        (0.5, 77.5),
        (0.5, 76.5),
        (1, 76.5),
        (1, 75.5),
        (1, 75.5),
        (1, 78.5),
        (1, 78.5),
    ]
    assert [event.name for event in recorder.events] == [
        "damaged",
        "status_began",
        "damaged",
        "damaged",
        "healed",
    ]
    assert size_of(draw(recorder, tmp_path / "t.png", title="A dive")) == (1280, 800)


def test_bars_and_hits_are_pages(ana: Actor, eel: Actor, tmp_path: Path) -> None:
    ana["bubble"].set(3)
    hit = eel.hit(ana, "sting", zone="visor", crit=True)

    assert size_of(bar_sheet([("suit", Bar(ana, "suit")), ("air", Bar(ana, "air"))], tmp_path / "b.png")) == (
        1280,
        800,
    )
    assert size_of(waterfall(hit, tmp_path / "h.png")) == (1280, 800)


def test_the_economy_is_a_page_also_of_a_world_where_nothing_was_earned(
    world: World, ana: Actor, tmp_path: Path
) -> None:
    assert size_of(economy(world.books, tmp_path / "none.png")) == (1280, 800)
    ana.earn("scrip", 50)
    ana.exchange("helmet_shop")

    assert size_of(economy(world.books, tmp_path / "e.png", holder="ana")) == (1280, 800)


def test_the_results_of_a_match_are_a_page_from_its_events(world: World, ana: Actor, tmp_path: Path) -> None:
    recorder = ScoreRecorder(world, "salvage_race")
    bram = world.join("diver", "bram", team="south")
    assert size_of(results_page(recorder, tmp_path / "before.png")) == (1280, 800)
    world.match("salvage_race").start()
    for diver in (ana, bram, ana):
        world.advance(2)
        diver.take(world.place("pearl"))
    world.match("salvage_race").end()

    assert recorder.courses == {"north": [(0, 0), (2, 1), (6, 2)], "south": [(0, 0), (4, 1)]}
    assert size_of(results_page(recorder, tmp_path / "after.png", stars=[Stars(ana, "dive")])) == (1280, 800)


def test_quests_are_laid_out_by_what_leads_to_what_also_in_a_circle(tmp_path: Path) -> None:
    quests = {
        f"q{number}": {
            "goals": [{"on": "damaged", "count": number + 1}],
            "needs": [f'self.quest.q{number // 2}_ == "completed"'.replace("_", "")] if number > 1 else [],
        }
        for number in range(30)
    }
    design = Design.from_dict({"quests": quests})
    assert leads(design)["q5"] == ("q2",)
    wide, tall = size_of(quest_map(design, tmp_path / "q.png"))  # sixteen in one layer: a little higher
    assert (wide, 800 <= tall <= 900) == (1280, True)
    chain = {
        f"q{number}": {
            "goals": [{"on": "died"}],
            "needs": [f'self.quest.q{number - 1} == "completed"'] if number else [],
        }
        for number in range(8)
    }
    assert size_of(quest_map(Design.from_dict({"quests": chain}), tmp_path / "chain.png")) == (1280, 800)
    assert size_of(quest_map(Design.from_dict({}), tmp_path / "none.png")) == (1280, 800)


@given(
    st.dictionaries(
        st.sampled_from([f"q{number}" for number in range(14)]),
        st.lists(st.sampled_from([f"q{number}" for number in range(14)]), max_size=3, unique=True),
        max_size=14,
    )
)
@example({"one": ["two"], "two": ["one"]})  # a circle
@example({f"q{number}": [f"q{number - 1}", "q0"] for number in range(1, 9)} | {"q0": []})
def test_boxes_and_arrows_of_a_map_keep_clear_of_each_other(before: dict[str, list[str]]) -> None:
    sizes = {name: (60.0 + 9 * len(before[name]), 24.0 + len(name) * 4) for name in before}
    placed = laid_out(sizes, before, across=40, beside=12, most=500)

    assert set(placed.middles) == set(sizes)
    boxes = {
        name: (x - sizes[name][0] / 2, y - sizes[name][1] / 2, x + sizes[name][0] / 2, y + sizes[name][1] / 2)
        for name, (x, y) in placed.middles.items()
    }
    for one, two in combinations(boxes, 2):
        a, b = boxes[one], boxes[two]
        assert a[2] <= b[0] or b[2] <= a[0] or a[3] <= b[1] or b[3] <= a[1], (one, two)
    for left, top, right, bottom in boxes.values():
        assert min(left, top) >= -1e-6
        assert right <= placed.width + 1e-6
        assert bottom <= placed.height + 1e-6
    wanted = {(other, name) for name in before for other in before[name] if other in before and other != name}
    assert set(placed.arrows) == wanted
    for ends, points in placed.arrows.items():
        assert all(one != two for one, two in pairwise(points))  # else an arrow has no direction
        if points[0][0] > points[-1][0]:
            continue  # it closes a circle, and goes back over what it led from
        for name, (left, top, right, bottom) in boxes.items():
            for (x, y), (to_x, to_y) in pairwise(points):
                for part in range(21):
                    at = (x + (to_x - x) * part / 20, y + (to_y - y) * part / 20)
                    inside = left + 1 < at[0] < right - 1 and top + 1 < at[1] < bottom - 1
                    assert not inside or name in ends, (ends, name)
