"""The PostgreSQL server of the tests: skipped where there is none, but a failure in CI."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager

import local_postgres
import pytest
from local_postgres import Server

__all__ = ["Server", "server"]


@contextmanager
def server() -> Iterator[Server]:
    """Start a server of the examples' own making."""
    if local_postgres.programs() is None:
        if os.environ.get("CI"):
            pytest.fail("PostgreSQL is not installed, and CI must test it")
        pytest.skip("PostgreSQL is not installed")
    with local_postgres.server() as made:
        yield made
