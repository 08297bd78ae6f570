"""Two runs of a recording on one page: what holds for the first, then for the second."""

from __future__ import annotations

from typing import Any

from voskar.pages.data import summary
from voskar.pages.poses import Plain

LISTS = ("contacts", "events", "claims", "findings", "inputs", "ends")
STEPS = ("health", "lives")
SPANS = ("immune", "stunned", "frozen", "down")


def joined(before: Plain, now: Plain) -> Plain:
    """The data of two runs that follow each other. Values that are neither by frame nor by actor are those of the
    second."""
    shift = len(before["findings"])
    counts = [item + two for item, two in zip(before["counts"], now["counts"], strict=True)]
    extents = [fields["extent"] for fields in (before, now) if fields["extent"]]
    corners = list(zip(*extents, strict=True))
    actors = {item["id"]: item for item in [*before["actors"], *now["actors"]]}
    causes = [item | {"finding": item["finding"] + shift * (item["finding"] >= 0)} for item in now["explanations"]]
    return {
        **now,
        **{name: before[name] + now[name] for name in LISTS},
        "first": before["first"],
        "whole": [before["whole"][0], now["whole"][1]],
        "extent": [*map(min, corners[:2]), *map(max, corners[2:])] if corners else None,
        "actors": list(actors.values()),
        "explanations": before["explanations"] + causes,
        "gates": before["gates"] | now["gates"],
        "courses": _each(before["courses"], now["courses"], _course),
        "score": _each(before["score"], now["score"], _steps),
        "runs": sorted({*before["runs"], *now["runs"]}),
        "marks": [list(pair) for pair in sorted({(frame, what) for frame, what in [*before["marks"], *now["marks"]]})],
        "counts": counts,
        "summary": summary(counts),
    }


def without(plain: Plain, frame: int) -> Plain:
    """The same without the frames before a frame; findings and how actors stood stay."""
    first = {"contacts": 0, "events": 0, "ends": 0, "inputs": 2}
    return {
        **plain,
        **{name: [item for item in plain[name] if item[at] >= frame] for name, at in first.items()},
        "claims": [item for item in plain["claims"] if item["frame"] >= frame],
        "gates": {key: value for key, value in plain["gates"].items() if int(key.partition("|")[0]) >= frame},
        "first": max(plain["first"], frame),
    }


def _each(before: Plain, now: Plain, join: Any) -> Plain:
    """Joins what two tables have under the same name."""
    both = {name: join(before[name], now[name]) for name in before.keys() & now.keys()}
    return before | now | both


def _steps(before: list[list[float]], now: list[list[float]]) -> list[list[float]]:
    return [values + two for values, two in zip(before, now, strict=True)]


def _course(before: Plain, now: Plain) -> Plain:
    return {
        **{name: _steps(before[name], now[name]) for name in STEPS},
        **{name: before[name] + now[name] for name in SPANS},
        **{name: _each(before[name], now[name], _steps) for name in ("counters", "game")},
    }
