"""`cleaver schema`: the JSON Schema of a design file."""

from __future__ import annotations

import click

from cleaver.cli.printing import say_json
from cleaver.design.design import schema


@click.command("schema")
def command() -> None:
    """Print the JSON Schema of a design file, for editors that complete and check as one types.

    \b
    Example:  cleaver schema > cleaver.schema.json
    """
    say_json(schema())
