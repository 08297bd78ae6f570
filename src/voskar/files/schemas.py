"""JSON Schemas of what users write, made from what validates it."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

from voskar.core.rules import Duration
from voskar.files.keeping import get, kept_folder, program, prune, put
from voskar.files.reading import blake2b

KEPT = 16
"""Schemas that are kept at most; of more the oldest half goes."""


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


def schema_text(file: str) -> str:
    """The schema of a kind of file: kept ready until Voskar changes, as what it is made from takes long to import."""
    folder = kept_folder("schemas")
    place = None if folder is None else folder / blake2b(program() + file.encode(), digest_size=16).hexdigest()
    known = None if place is None else get(place)
    if known is not None:
        return known.decode()
    text = _schema_text(file)
    if place is not None:
        put(place, text.encode())
        prune(place.parent, KEPT)
    return text


def _schema_text(file: str) -> str:
    from pydantic.json_schema import GenerateJsonSchema

    class WithDurations(GenerateJsonSchema):
        def encode_default(self, dft: Any) -> Any:
            return str(dft) if isinstance(dft, Duration) else super().encode_default(dft)

    schema: dict[str, Any] = FILES[file]().model_json_schema(schema_generator=WithDurations)
    if file == "rulebook":
        schema.pop("required", None)  # an included file needs no version of its own
        _let_kinds_be_like(schema["$defs"])
    if file == "expect":
        schema["$defs"]["ExpectTable"]["additionalProperties"] = True  # columns of the ledger
    return json.dumps(schema, indent=1) + "\n"


def _let_kinds_be_like(defs: dict[str, Any]) -> None:
    """A kind that is like another one, or an actor of its own, names only what it changes: nothing is required."""
    defs["OwnRulesTable"] = _without_required(defs, defs["OwnRulesTable"])
    whole = defs["KindTable"]
    defs["KindTable"] = {
        "if": {"required": ["like"]},
        "then": {"$ref": f"#/$defs/{_relaxed(defs, 'KindTable', whole)}"},
        "else": whole,
    }


def _relaxed(defs: dict[str, Any], name: str, whole: dict[str, Any]) -> str:
    """The name of the same table without anything that is required, with all that it holds."""
    new = f"{name}.like"
    if new not in defs:
        defs[new] = {}  # a table may hold itself
        defs[new] = _without_required(defs, whole)
    return new


def _without_required(defs: dict[str, Any], part: Any) -> Any:
    if isinstance(part, list):
        return [_without_required(defs, item) for item in part]
    if not isinstance(part, dict):
        return part
    found = {}
    for key, value in part.items():
        if key == "$ref":
            name = value.rpartition("/")[2]
            found[key] = f"#/$defs/{_relaxed(defs, name, defs[name])}"
        elif key not in ("required", "oneOf", "if", "then") or not _is_demand(key, value):
            found[key] = _without_required(defs, value)
    return found


def _is_demand(key: str, value: Any) -> bool:
    """Whether a keyword of a schema demands keys. A table may have keys of these names, too."""
    if key in ("required", "oneOf"):
        return isinstance(value, list) and all(isinstance(item, str) or "required" in item for item in value)
    return isinstance(value, dict) and ("required" in value or "const" in str(value))


def schema_line(path: Path, file: str) -> str:
    """A first line that names the schema to an editor, where there is one next to a file, as `voskar init` writes
    it."""
    return f"#:schema ./schema/{file}.json\n" if (path.parent / "schema" / f"{file}.json").is_file() else ""
