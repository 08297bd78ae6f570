"""`voskar schema`: what a file may hold, for editors that complete and check."""

from __future__ import annotations

import click

from voskar.commands import present
from voskar.files.reading import write_text
from voskar.files.schemas import FILES, schema_text


@click.command(
    epilog="""
\b
Example:
  voskar schema rulebook -o rulebook.schema.json
"""
)
@click.argument("file", type=click.Choice(list(FILES)))
@click.option("-o", "--out", metavar="FILE", help="Where it is written.  [default: standard output]")
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
