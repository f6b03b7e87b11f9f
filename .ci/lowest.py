"""Print, for `pip install -c`, the lowest version that pyproject.toml allows of each package."""

import re
import tomllib
from pathlib import Path

project = tomllib.loads((Path(__file__).parent.parent / "pyproject.toml").read_text())["project"]
extras = project["optional-dependencies"]
for wanted in [
    *project["dependencies"],
    *(one for extra in extras if extra != "docs" for one in extras[extra]),
]:
    found = re.fullmatch(r"([\w-]+)(?:\[.*\])?>=([\d.]+)", wanted)
    if found:
        print(f"{found[1]}=={found[2]}")
