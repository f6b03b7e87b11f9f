"""The planted faults of `mutants/` still fit the library; whether tests notice them, `mutants/plant.py` says,
by hand."""

from __future__ import annotations

from pathlib import Path

from edits import EDITS

HERE = Path(__file__).parent.parent


def test_every_planted_fault_has_its_place_and_makes_sound_python() -> None:
    assert len(EDITS) >= 40
    assert len({edit.name for edit in EDITS}) == len(EDITS)
    for edit in EDITS:
        text = (HERE.parent / "src/cleaver" / edit.file).read_text(encoding="utf-8")
        assert text.count(edit.old) == 1, edit.name
        compile(text.replace(edit.old, edit.new), edit.file, "exec")
