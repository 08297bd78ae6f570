"""Small worlds for tests: rulebooks from dictionaries, recordings from positions, outcomes as strings."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Recording
from voskar.core.step import replay
from voskar.core.watching import watched
from voskar.files.recording import read_recording
from voskar.files.rulebook import Rulebook, check_source
from voskar.files.toml_sources import parse_source

MARKS = {
    "landed": "L",
    "immune": "i",
    "repeat": "r",
    "ally": "a",
    "unmet": "u",
    "preempted": "p",
    "consumed": "s",
    "down": "d",
}


def toml(data: Mapping[str, Any]) -> str:
    """A dictionary as TOML, every top-level value inline."""

    def value(item: Any) -> str:
        if isinstance(item, Mapping):
            return "{" + ", ".join(f'"{key}" = {value(inner)}' for key, inner in item.items()) + "}"
        if isinstance(item, list | tuple):
            return "[" + ", ".join(map(value, item)) + "]"
        return json.dumps(item)

    return "\n".join(f'"{key}" = {value(item)}' for key, item in data.items())


def rulebook(data: Mapping[str, Any]) -> Rulebook:
    """A rulebook from its data, through the real parser."""
    folder = Path(__file__).parent  # where moth.png is
    source = parse_source(toml({"voskar": 2, **data}), str(folder / "rules.toml"))
    source.root = folder
    return check_source(source)


def recording(book: Rulebook, frames: Iterable[Mapping[str, Any]], *, first: int = 0, **header: Any) -> Recording:
    """A recording from frames without numbers, through the real reader."""
    lines = [{"voskar": "recording", "version": 2, "rate": 60, **header}]
    lines += [{"frame": number, **frame} for number, frame in enumerate(frames, first)]
    return read_recording([json.dumps(line).encode() for line in lines], "test.jsonl", book)


def run(data: Mapping[str, Any], frames: Iterable[Mapping[str, Any]], **header: Any) -> Ledger:
    """Replays frames by a rulebook given as data."""
    book = rulebook(data)
    played = recording(book, frames, **header)
    return replay(book.rules(played.rate), played)


def judged(data: Mapping[str, Any], frames: Iterable[Mapping[str, Any]], **header: Any) -> Recording:
    """The recording as it was judged: as hits have moved it, with all that the rules set in motion."""
    book = rulebook(data)
    played = recording(book, frames, **header)
    return watched(book.rules(played.rate), played).recording


def told(events: Iterable[Event]) -> list[dict[str, Any]]:
    """Events as they are written, places of contacts left out."""
    return [
        {
            name: value
            for name, value in event.columns()
            if event.event not in ("contact", "clash") or name not in ("x", "y")
        }
        for event in events
    ]


def brush(touch: Mapping[str, str], **attack: Any) -> list[dict[str, Any]]:
    """Frames in which attackers stand on the target ("#") or far off ("."), or are not there ("-"), or hidden ("h").

    `touch` has one string an attacker, one character a frame.
    """
    length = max(map(len, touch.values()))
    frames = []
    for frame in range(length):
        poses = [{"id": "keeper", "kind": "keeper", "x": 0, "y": 0}]
        for number, (name, line) in enumerate(touch.items()):
            mark = line[frame] if frame < len(line) else "."
            if mark != "-":
                # once it has touched it goes elsewhere: back at its start it would seem to be sent there by the hit
                away = 100 * (number + 1) + (5 if "#" in line[:frame] else 0)
                x = 0 if mark in "#h" else away
                jumped = frame > 0 and (line[frame - 1 : frame] in ("#", "h")) != (mark in "#h")
                poses.append({"id": name, "kind": "hornet", "x": x, "y": 0, "hidden": mark == "h", "cut": jumped})
        frames.append({"poses": poses})
    return frames


def sting(**more: Any) -> dict[str, Any]:
    """The rulebook of `brush`: a keeper with one hurtbox, hornets with one hitbox; `more` overrides by table."""
    data: dict[str, Any] = {
        "layers": {"names": ["keeper", "hive"]},
        "kinds": {
            "keeper": {
                "side": "keeper",
                "health": 100,
                "boxes": {"torso": {"role": "hurtbox", "rect": [10, 10], "layer": ["keeper"]}},
                **more.get("keeper", {}),
            },
            "hornet": {
                "side": "hive",
                "boxes": {"sting": {"role": "hitbox", "attack": "sting", "circle": 3, "mask": ["keeper"]}},
                **more.get("hornet", {}),
            },
        },
        "attacks": {"sting": {"damage": 1, **more.get("attack", {})}},
        "contact": more.get("contact", {}),
    }
    return data


def outcomes(ledger: Ledger, attacker: str, length: int) -> str:
    """One character a frame for an attacker: its contact's outcome, or "." without one."""
    line = ["."] * length
    for event in ledger.of("contact"):
        if event.attacker == attacker:
            for frame in range(event.frame, (event.until or event.frame) + 1):
                line[frame] = MARKS[event.outcome or ""]
    return "".join(line)


def frames_of(ledger: Ledger, event: str, **columns: Any) -> Sequence[int]:
    """Frames of the events of one type whose columns have these values."""
    return [
        entry.frame
        for entry in ledger.of(event)
        if all(getattr(entry, key) == wanted for key, wanted in columns.items())
    ]
