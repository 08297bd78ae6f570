"""`voskar schema`: what a file may hold, for editors that complete and check."""

from __future__ import annotations

import click

from voskar.commands import present
from voskar.commands.options import Command, out_option
from voskar.files.reading import write_text
from voskar.files.schemas import FILES, schema_text


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar schema rulebook -o rulebook.schema.json
""",
)
@click.argument("file", type=click.Choice(list(FILES)))
@out_option("Where to write the schema.  [default: standard output]")
def command(file: str, out: str | None) -> None:
    """Print the JSON Schema of a kind of file, made from what validates it.

    An editor that knows schemas for TOML completes keys and marks mistakes as they are typed.
    """
    text = schema_text(file)
    if out is None:
        click.echo(text, nl=False)
        return
    write_text(out, text)
    present.say(f"schema of a {file} written to {out}")
