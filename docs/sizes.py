"""Measures what an install brings, for the README and the page of platforms: python docs/sizes.py.

Each extra is installed into an environment of its own; counted is what lies on the disk then, bytecode
included, without pip. Licences are those that the packages state of themselves.
"""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
import venv
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
EXTRAS = ("", "cli", "saves", "prompt", "figures", "lab", "postgres", "window", "all")
OWN = "cleaver-progression"
COPYLEFT = re.compile(r"GPL|LGPL|MPL|GNU|Mozilla|copyleft", re.IGNORECASE)
LOOK = """
import importlib.metadata as m, json, pathlib
found = []
for one in m.distributions():
    name = one.metadata["Name"].lower()
    if name in ("pip", "setuptools", "wheel"):
        continue
    stated = one.metadata["License-Expression"] or one.metadata["License"] or ""
    classes = [line.rpartition(" :: ")[2] for line in one.metadata.get_all("Classifier", ())
               if line.startswith("License")]
    files = [pathlib.Path(one.locate_file(file)) for file in one.files or ()]
    size = sum(file.stat().st_size for file in files if file.is_file())
    found.append((name, stated if 0 < len(stated) < 60 else ", ".join(classes), size))
print(json.dumps(sorted(found)))
"""


class Brought(NamedTuple):
    """One package of an install: its name, the licence it states, its bytes on the disk."""

    name: str
    licence: str
    size: int


def brought(extra: str) -> list[Brought]:
    """Return the packages of an install with an extra, the library itself included."""
    with tempfile.TemporaryDirectory() as name:
        venv.create(name, with_pip=True)
        python = Path(name) / ("Scripts/python.exe" if sys.platform == "win32" else "bin/python")
        what = f"{ROOT}[{extra}]" if extra else str(ROOT)
        subprocess.run(
            [python, "-m", "pip", "install", "-q", "--disable-pip-version-check", what], check=True
        )
        told = subprocess.run([python, "-c", LOOK], check=True, capture_output=True, text=True).stdout
    return [Brought(*one) for one in json.loads(told)]


def megabytes(packages: list[Brought]) -> str:
    """Return what packages take together, as the README writes it."""
    return f"{sum(one.size for one in packages) / 1e6:,.0f} MB"


def row(extra: str, meaning: str, packages: list[Brought]) -> str:
    """Return a row of the README's table."""
    how = f'`".[{extra}]"`' if extra else "`pip install .`"
    return f"| {how} | {meaning} | {len(packages)} | {megabytes(packages)} |"


def main() -> None:
    """Measure every extra, and write both tables."""
    found = {extra: brought(extra) for extra in EXTRAS}
    page = ROOT / "README.md"
    text = page.read_text(encoding="utf-8")
    for extra, packages in found.items():
        begin = row(extra, "", []).partition(" |  | ")[0]
        lines = text.splitlines(keepends=True)
        text = "".join(
            row(extra, line.split(" | ")[1], packages) + "\n" if line.startswith(begin) else line
            for line in lines
        )
    page.write_text(text, encoding="utf-8")
    base = {one.name for one in found[""]}
    rows, seen = [], set(base)
    for extra, packages in found.items():
        if extra:
            new = [one for one in packages if one.name not in seen]
            seen |= {one.name for one in new}
            rows += [
                f"| `{extra}` | {one.name} | {one.licence or 'not stated'} | {one.size / 1e6:,.1f} MB |"
                for one in new
            ]
    table = "\n".join(["| extra | package | licence | size |", "|---|---|---|---|", *rows])
    page = ROOT / "docs/platforms.md"
    text = page.read_text(encoding="utf-8")
    begin, end = "<!-- written by docs/sizes.py -->\n\n", "\n\n<!-- to here -->"
    text = text[: text.index(begin) + len(begin)] + table + text[text.index(end) :]
    page.write_text(text, encoding="utf-8")
    for one in found["all"]:
        if COPYLEFT.search(one.licence):
            print(f"copyleft: {one.name} ({one.licence}); the page of platforms must say so")


if __name__ == "__main__":
    main()
