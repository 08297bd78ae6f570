"""Kinds and attacks that are like others: their tables, merged as includes are."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from voskar.errors import InputError, nearest
from voskar.files.toml_sources import Source, merged

TABLES = ("kinds", "attacks")


def has_likes(raw: dict[str, Any]) -> bool:
    """Whether anything is like another."""
    return any("like" in table for name in TABLES for table in _own(raw, name).values() if isinstance(table, dict))


def with_likes(source: Source) -> Source:
    """The same with each `like` written out. Raises InputError for a `like` that names nothing, and for a ring."""
    if not has_likes(source.raw):
        return source
    raw, places = dict(source.raw), dict(source.places)
    for name in TABLES:
        tables = _own(raw, name)
        raw[name] = {table: _whole(source, name, table, ()) for table in tables}
        for entry in tables:
            for model in _models(tables, entry):
                for path, place in source.places.items():
                    if path[:2] == (name, model):
                        places.setdefault((name, entry, *path[2:]), place)
    return replace(source, raw=raw, places=places)


def _own(raw: dict[str, Any], name: str) -> dict[str, Any]:
    found = raw.get(name)
    return found if isinstance(found, dict) else {}


def _models(tables: dict[str, Any], name: str) -> list[str]:
    """The tables that a table is like, and those that they are like in turn."""
    found: list[str] = []
    table = tables[name]
    while isinstance(table, dict) and isinstance(table.get("like"), str) and table["like"] in tables:
        found.append(table["like"])
        table = tables[table["like"]]
    return found


def _whole(source: Source, of: str, name: str, chain: tuple[str, ...]) -> Any:
    tables = _own(source.raw, of)
    table = tables[name]
    if not isinstance(table, dict) or not isinstance(table.get("like"), str):
        return table
    model, word = table["like"], of.removesuffix("s")
    if model not in tables:
        message = f'unknown {word} "{model}"'
        raise InputError(source.problem((of, name, "like"), message, nearest(model, tables)))
    if model in (*chain, name):
        raise InputError(source.problem((of, name, "like"), f"{model} is like itself, through {name}"))
    own = {key: value for key, value in table.items() if key != "like"}
    return merged(_whole(source, of, model, (*chain, name)), own, (of, name))
