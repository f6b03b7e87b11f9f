"""Processes: who this process is, and whether another one is still alive.

Only where the kernel says so (Linux, through ``/proc``), and only of a process on the same machine since its
start, in the same namespace; of any other nothing is known. Start at `Process`.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import NamedTuple


class Process(NamedTuple):
    """One process: the machine since its start (boot id), the namespace its number counts in, the number, and
    when it started (in ticks of the kernel). `machine` is "" where nothing is known."""

    machine: str
    namespace: str
    number: int
    started: str

    @property
    def dead(self) -> bool:
        """Whether it certainly lives no more; False where that cannot be known."""
        if not self.machine or (self.machine, self.namespace) != _place():
            return False
        return _started(self.number) != self.started


def this() -> Process:
    """Return the process that asks."""
    machine, namespace = _place()
    number = os.getpid()
    started = _started(number)
    return Process(machine if started else "", namespace, number, started)


def _place() -> tuple[str, str]:
    try:
        machine = Path("/proc/sys/kernel/random/boot_id").read_text(encoding="ascii").strip()
        return machine, os.readlink("/proc/self/ns/pid")
    except OSError:
        return "", ""


def _started(number: int) -> str:
    """Return when a process started; "" where there is none of that number, or one that is dead and not yet
    taken away."""
    try:
        line = Path(f"/proc/{number}/stat").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return ""
    fields = line.rpartition(")")[2].split()  # the name before may hold anything
    return "" if fields[0] in ("Z", "X") else fields[19]
