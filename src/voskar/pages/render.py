"""Writes pages: data packed into one self-contained file."""

from __future__ import annotations

import base64
import hashlib
import json
import re
import zlib
from collections.abc import Iterable, Mapping, Sequence
from functools import cache
from importlib import resources
from typing import Any, NamedTuple

import numpy as np
from jinja2 import Environment, PackageLoader, StrictUndefined

from voskar.pages.data import PageData
from voskar.pages.poses import Plain, PoseChunk

LEVEL = 6
"""Of compression: more takes three times as long and saves a hundredth."""
MODULES = ("state", "data", "geometry", "marks", "stage", "lanes", "facts", "list", "moves", "wiring", "live", "main")
_LINKS = re.compile(r"^import [^;]*;\n|^export (?=const|let|function|class|async)", re.MULTILINE)


@cache
def _environment() -> Environment:
    return Environment(
        loader=PackageLoader("voskar.pages"), autoescape=True, undefined=StrictUndefined, keep_trailing_newline=True
    )


def _asset(name: str) -> str:
    return (resources.files("voskar.pages") / "templates" / name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def packed(plain: Mapping[str, Any], columns: Mapping[str, np.ndarray] | None = None) -> str:
    """One block: a JSON text that says where each column lies behind it; compressed, as base64.

    Bytes of equal weight stand together, which halves what columns come to.
    """
    layout: list[dict[str, Any]] = []
    blocks: list[bytes] = []
    for name, column in (columns or {}).items():
        width = column.dtype.itemsize
        planes = np.ascontiguousarray(column).view(np.uint8).reshape(-1, width).T
        layout.append({"name": name, "type": column.dtype.str.lstrip("<|"), "rows": len(column), "width": width})
        blocks.append(planes.tobytes())
    words = json.dumps({**plain, "columns": layout}, ensure_ascii=False, separators=(",", ":"))
    text = words.encode(errors="backslashreplace")  # of a file name, say
    whole = len(text).to_bytes(4, "little") + text + b"".join(blocks)
    return base64.b64encode(zlib.compress(whole, LEVEL)).decode()


class PackedChunk(NamedTuple):
    """Some frames of poses, as a page holds them."""

    first: int
    last: int
    text: str


def packed_chunks(chunks: Iterable[PoseChunk]) -> list[PackedChunk]:
    """The poses of some frames, packed."""
    return [PackedChunk(chunk.first, chunk.last, packed(chunk.plain, chunk.columns)) for chunk in chunks]


def script() -> str:
    """The page's modules as one script. Each is one by itself, with imports and exports for editors and linters; here
    they share one scope, in an order in which each stands behind those that it imports from."""
    return "\n".join(['"use strict";', *(_LINKS.sub("", _asset(f"script/{name}.js")) for name in MODULES)])


def render_page(data: PageData, other: PageData | None = None) -> str:
    """The page of one recording, or of two versions of it."""
    return _page(
        data.plain,
        packed_chunks(data.chunks),
        old=None if other is None else other.plain,
        other="" if other is None else packed(other.plain),
        old_chunks=[] if other is None else packed_chunks(other.chunks),
        after=None,
    )


def render_live(plain: Plain, chunks: Sequence[PackedChunk], after: int) -> str:
    """The page of a recording that grows: it asks its server for all that has come after so many events."""
    return _page(plain, chunks, old=None, other="", old_chunks=[], after=after)


def _page(plain: Plain, chunks: Sequence[PackedChunk], after: int | None, **others: Any) -> str:
    cut = None if after is not None or [plain["first"], plain["last"]] == plain["whole"] else plain["whole"]
    return _render(
        "page.html",
        script(),
        connects=after is not None,
        title=plain["title"] or plain["recording"],
        page=plain,
        cut=cut,
        data=packed(plain),
        chunks=chunks,
        after=after,
        **others,
    )


def render_index(title: str, rows: Sequence[Mapping[str, Any]], lines: Sequence[str]) -> str:
    """A page that links others. A row has a `name`, whether it is `ok`, its `counts`, its first `faults` and `href`."""
    return _render("index.html", title=title, rows=rows, lines=lines)


def _render(template: str, code: str = "", *, connects: bool = False, **values: Any) -> str:
    style = _asset("page.css")
    policy = f"default-src 'none'; style-src '{_hash(style)}'" + (f"; script-src '{_hash(code)}'" if code else "")
    policy += "; connect-src 'self'" if connects else ""
    return _environment().get_template(template).render(policy=policy, style=style, script=code, **values)
