"""Stores for the tests of saving: a file, and a server of their own."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from cleaver import Design, open_store
from postgres import Server, server

ANY = Design.from_dict({"actors": {"diver": {"vital": "suit", "meters": {"suit": 90}}}})


@pytest.fixture(scope="session")
def postgres() -> Iterator[Server]:
    """A PostgreSQL server, one for all tests."""
    with server() as made:
        yield made


@pytest.fixture
def server_url(postgres: Server) -> str:
    """An empty store on the server."""
    with open_store(postgres.url, ANY) as opened, opened.engine.begin() as connection:
        for table in ("profiles", "generations", "holders", "quarantine", "scores", "score_blocks", "audit"):
            connection.execute(text(f"DELETE FROM cleaver_{table}"))
        connection.execute(text("DELETE FROM cleaver_meta WHERE key LIKE 'board:%'"))
    return postgres.url


@pytest.fixture
def file_url(tmp_path: Path) -> str:
    """An empty store in a file."""
    return f"sqlite:///{tmp_path / 'saves.db'}"


@pytest.fixture(params=["sqlite", "postgres"])
def url(request: pytest.FixtureRequest) -> str:
    """An empty store: a file, then on the server."""
    found: str = request.getfixturevalue("file_url" if request.param == "sqlite" else "server_url")
    return found
