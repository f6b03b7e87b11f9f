"""`cleaver schema`: the JSON Schema of a design file."""

from __future__ import annotations

import json

import click

from cleaver.cli.printing import say
from cleaver.design.design import schema


@click.command("schema")
def command() -> None:
    """Print the JSON Schema of a design file, for editors that complete and check as one types.

    \b
    Example:  cleaver schema > cleaver.schema.json
    """
    rows = []
    for key, value in schema().items():
        if isinstance(value, dict):  # a line a section, and a line a shared part
            inner = ",\n".join(f"  {json.dumps(name)}: {json.dumps(part)}" for name, part in value.items())
            rows.append(f" {json.dumps(key)}: {{\n{inner}\n }}")
        else:
            rows.append(f" {json.dumps(key)}: {json.dumps(value)}")
    say("{\n" + ",\n".join(rows) + "\n}", wrap=False)
