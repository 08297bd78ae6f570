"""Writes pages: data packed into one self-contained file."""

from __future__ import annotations

import base64
import hashlib
import json
import zlib
from collections.abc import Mapping, Sequence
from functools import cache
from importlib import resources
from typing import Any

import numpy as np
from jinja2 import Environment, PackageLoader, StrictUndefined

from voskar.pages.data import PageData


@cache
def _environment() -> Environment:
    return Environment(
        loader=PackageLoader("voskar.pages"), autoescape=True, undefined=StrictUndefined, keep_trailing_newline=True
    )


def _asset(name: str) -> str:
    return (resources.files("voskar.pages") / "templates" / name).read_text(encoding="utf-8")


def _hash(text: str) -> str:
    return "sha256-" + base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def packed(data: PageData) -> str:
    """One block: a JSON text that says where each column lies behind it; compressed, as base64.

    Bytes of equal weight stand together, which halves what columns come to.
    """
    layout: list[dict[str, Any]] = []
    blocks: list[bytes] = []
    for name, column in data.columns.items():
        width = column.dtype.itemsize
        planes = np.ascontiguousarray(column).view(np.uint8).reshape(-1, width).T
        layout.append({"name": name, "type": column.dtype.str.lstrip("<|"), "rows": len(column), "width": width})
        blocks.append(planes.tobytes())
    plain = json.dumps({**data.plain, "columns": layout}, ensure_ascii=False, separators=(",", ":"))
    text = plain.encode(errors="backslashreplace")  # of a file name, say
    whole = len(text).to_bytes(4, "little") + text + b"".join(blocks)
    return base64.b64encode(zlib.compress(whole, 9)).decode()


def render_page(data: PageData, other: PageData | None = None) -> str:
    """The page of one recording, or of two versions of it."""
    plain = data.plain
    cut = None if [plain["first"], plain["last"]] == plain["whole"] else plain["whole"]
    return _render(
        "page.html",
        "page.js",
        title=plain["title"] or plain["recording"],
        page=plain,
        cut=cut,
        data=packed(data),
        old=None if other is None else other.plain,
        other="" if other is None else packed(other),
    )


def render_index(title: str, rows: Sequence[Mapping[str, Any]], lines: Sequence[str]) -> str:
    """A page that links others. A row has a `name`, whether it is `ok`, its `counts`, its first `faults` and `href`."""
    return _render("index.html", None, title=title, rows=rows, lines=lines)


def _render(template: str, script: str | None, **values: Any) -> str:
    style, code = _asset("page.css"), "" if script is None else _asset(script)
    policy = f"default-src 'none'; style-src '{_hash(style)}'" + (f"; script-src '{_hash(code)}'" if code else "")
    return _environment().get_template(template).render(policy=policy, style=style, script=code, **values)
