"""`voskar schema`: what a file may hold, for editors that complete and check."""

from __future__ import annotations

import click

from voskar.files.reading import whole_file
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
    with whole_file(out) as part:
        part.write_text(text, encoding="utf-8")
    click.echo(f"schema of a {file} written to {out}")
