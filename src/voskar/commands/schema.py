"""`voskar schema`: what a file may hold, for editors that complete and check."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import click

from voskar.files.reading import whole_file


def _rulebook() -> Any:
    from voskar.files.rulebook_schema import RulebookFile

    return RulebookFile


def _suite() -> Any:
    from voskar.files.suite import SuiteFile

    return SuiteFile


def _stage() -> Any:
    from voskar.files.stage_schema import StageFile

    return StageFile


def _expect() -> Any:
    from voskar.files.expect import ExpectFile

    return ExpectFile


FILES: dict[str, Callable[[], Any]] = {"rulebook": _rulebook, "suite": _suite, "stage": _stage, "expect": _expect}


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
    schema: dict[str, Any] = FILES[file]().model_json_schema()
    if file == "rulebook":
        schema.pop("required", None)  # what is included needs no version of its own
    if file == "expect":
        schema["$defs"]["ExpectTable"]["additionalProperties"] = True  # columns of the ledger
    text = json.dumps(schema, indent=1) + "\n"
    if out is None:
        click.echo(text, nl=False)
        return
    with whole_file(out) as part:
        part.write_text(text, encoding="utf-8")
    click.echo(f"schema of a {file} written to {out}")
