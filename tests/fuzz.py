"""The long run: targets of `strangers` with bytes that coverage guides, started by hand where atheris is
installed.

pip install atheris python tests/fuzz.py script -max_total_time=600     # or design, profile, baseline
"""

from __future__ import annotations

import sys

import atheris  # type: ignore[import-not-found, import-untyped, unused-ignore]

with atheris.instrument_imports(include=["cleaver"]):
    import strangers

if __name__ == "__main__":
    target = strangers.TARGETS[sys.argv.pop(1)]
    atheris.Setup(sys.argv, target)
    atheris.Fuzz()
