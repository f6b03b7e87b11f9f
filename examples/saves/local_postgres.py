"""A PostgreSQL server of one's own on the loopback, for trying things: started in a temporary folder, gone
afterwards."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


def programs() -> Path | None:
    """Return the folder of initdb and pg_ctl; None where PostgreSQL is not installed."""
    found = sorted(Path("/usr/lib/postgresql").glob("*/bin/initdb"))
    there = str(found[-1]) if found else shutil.which("initdb")
    return Path(there).parent if there else None


class Server:
    """A server that can be stopped at once and started again; `url` is what a store is opened with."""

    def __init__(self, folder: Path, port: int, binaries: Path) -> None:
        self.folder, self.port, self.binaries = folder, port, binaries

    @property
    def url(self) -> str:
        return f"postgresql+psycopg://postgres@127.0.0.1:{self.port}/postgres"

    def run(self, *words: str) -> None:
        command = ["runuser", "-u", "postgres", "--", *words] if os.geteuid() == 0 else list(words)
        subprocess.run(
            command, cwd="/", check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=60
        )

    def start(self) -> None:
        options = f"-p {self.port} -h 127.0.0.1 -k {self.folder}"
        self.run(
            str(self.binaries / "pg_ctl"),
            "-D",
            str(self.folder / "data"),
            "-o",
            options,
            "-l",
            str(self.folder / "log"),
            "-w",
            "start",
        )

    def stop(self) -> None:
        self.run(
            str(self.binaries / "pg_ctl"), "-D", str(self.folder / "data"), "-m", "immediate", "-w", "stop"
        )


@contextmanager
def server() -> Iterator[Server]:
    """Start a server; stop and remove it at the end."""
    binaries = programs()
    if binaries is None:
        raise SystemExit("PostgreSQL is not installed; on Debian: apt-get install postgresql")
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    folder = Path(tempfile.mkdtemp(prefix="cleaver-postgres-"))
    folder.chmod(0o777)
    made = Server(folder, port, binaries)
    made.run(
        str(binaries / "initdb"), "--no-sync", "-U", "postgres", "-A", "trust", "-D", str(folder / "data")
    )
    made.start()
    try:
        yield made
    finally:
        made.stop()
        shutil.rmtree(folder, ignore_errors=True)
