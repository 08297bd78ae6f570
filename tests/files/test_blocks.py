"""However frames become columns, they make the same recording, or the same error."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO, Any

import pyarrow
import pyarrow.parquet
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests import strategies
from tests.worlds import rulebook, sting
from voskar.core.recording import Recording
from voskar.errors import InputError
from voskar.files import blocks, json_lines, recording
from voskar.files.frames import Warn, json_frames
from voskar.files.recording import load_recording, open_frames, read_recording
from voskar.files.writing import write_recording

BOOK = rulebook({"kinds": {kind: {} for kind in ("ant", "bee", "cub", "dot")}})
HEADER = {"voskar": "recording", "version": 2, "rate": 60}


def read(text: bytes, frame_by_frame: bool = False) -> Recording | str:
    """A recording, or what is wrong with it."""
    with pytest.MonkeyPatch.context() as patch:
        if frame_by_frame:
            patch.setattr(recording, "json_blocks", by_frame)
        try:
            return read_recording(text.splitlines(keepends=True), "test.jsonl", BOOK)
        except InputError as error:
            return str(error)


def by_frame(name: str, stream: IO[bytes], number: int, warn: Warn) -> Iterator[blocks.Block]:
    lines = ((at, line) for at, line in enumerate(stream, number + 1) if not line.isspace())
    return map(blocks.of_frames, blocks.chunks(json_frames(name, lines, warn)))


def same(played: Recording | str, other: Recording | str) -> bool:
    if isinstance(played, str) or isinstance(other, str):
        return played == other
    return (played.digest, played.claims, played.actors, played.clips) == (
        other.digest,
        other.claims,
        other.actors,
        other.clips,
    )


def lines_of(frames: list[dict[str, Any]]) -> list[str]:
    rows = [{"frame": number, **frame} for number, frame in enumerate(frames)]
    for row in rows:
        row["poses"] = [{key: value for key, value in pose.items() if value is not None} for pose in row["poses"]]
    return [json.dumps(fields) for fields in (HEADER, *rows)]


ANT = '{"id": "a", "kind": "ant", "x": 0, "y": 0'
TELLING = [
    '"poses": []',
    '"poses": [], "inputs": [], "claims": [], "display": [], "reset": null',  # a logger that leaves nothing out
    f'"poses": [{ANT}, "owner": null, "clip": null, "tick": null, "health": null, "hidden": false}}]',
    f'"poses": [{ANT}, "boxes": {{"jaw": [0, 0, 1, 1], "head": [0, 0, 2, 2], "_own": [0, 0, 0, 0]}}, "push": [1, 0]}}]',
    f'"poses": [{ANT}}}], "inputs": [{{"id": "a", "button": "fire", "aim": null}}], "display": [{{"clock": "1:30"}}]',
    f'"poses": [{ANT}}}], "claims": [{{"event": "over"}}], "reset": "room"',
    # the game's own
    f'"_t": 1, "poses": [{ANT}, "_state": {{"mood": "5:1", "next": [{{"a": 1}}]}}}}], "claims": [], "_more": "x"',
    '"claims": [{"event": "won", "_f": null}], "display": [{"clock": "0", "_f": {}}], "_f": []',
]


@pytest.mark.parametrize("told", TELLING)
def test_what_is_in_order_is_read_once(told: str, monkeypatch: pytest.MonkeyPatch) -> None:
    """Keys are counted, so that one that occurs twice is seen; counted wrongly, every line would be read slowly."""

    def slowly(*_: Any) -> None:
        raise AssertionError("read twice")

    monkeypatch.setattr("voskar.files.frames.decoded", slowly)
    monkeypatch.setattr("voskar.files.json_lines.decoded", slowly)
    lines = [json.dumps(HEADER), *(f'{{"frame": {frame}, {told}}}' for frame in range(3))]
    text = "\n".join(lines).encode()
    books = rulebook(
        {"kinds": {"ant": {"boxes": {name: {"role": "hurtbox", "circle": 1} for name in ("jaw", "head")}}}}
    )
    assert read_recording(text.splitlines(), "test.jsonl", books).last == 2
    if '"_' not in told:
        assert len(list(json_frames("test.jsonl", enumerate(text.splitlines()[1:]), print))) == 3


@given(strategies.recordings(), st.data())
def test_both_ways_of_reading_give_one_recording(frames: Any, more: st.DataObject) -> None:
    frames = more.draw(strategies.inputs(frames))
    frames[-1]["claims"] = [{"event": "hit", "attacker": "a-1", "target": "b-1", "damage": 1}]
    text = "\n".join(lines_of(frames)).encode()
    assert same(read(text), read(text, frame_by_frame=True))


LEFT_OUT = [{}, {"owner": None}, {"clip": None, "tick": None}, {"health": None}, {"_own": {"a": 1}}, {"hidden": True}]


@given(strategies.recordings(), st.data())
def test_whole_tables_give_the_recording_of_its_lines(frames: Any, more: st.DataObject) -> None:
    """Every actor that is logged when: ids, owners and clips are numbered as they are met."""
    frames = more.draw(strategies.inputs(frames))
    for frame in frames:
        frame["poses"] = [item | more.draw(st.sampled_from(LEFT_OUT)) for item in frame["poses"]]
    with TemporaryDirectory() as name:
        path = Path(name) / "game.jsonl"
        path.write_text("\n".join(lines_of(frames)) + "\n", encoding="utf-8")
        with open_frames(path) as source:
            write_recording(source, str(Path(name) / "tables"), "parquet")
        with pytest.MonkeyPatch.context() as patch:
            if any(frame["poses"] for frame in frames):  # else there is no table of poses
                patch.setattr("voskar.files.whole_tables.of_frames", None)  # row by row would do as well
            assert same(load_recording(path, BOOK), load_recording(Path(name) / "tables", BOOK))


POSE = '{"frame": 0, "poses": [{"id": "a", "kind": "ant", "x": 1, "y": 2%s}]}'
LINES = [
    POSE % "",
    POSE % ', "owner": null',
    POSE % ', "facing": null',
    POSE % ', "facing": 1.0',
    POSE % ', "facing": 2',
    POSE % ', "tick": -1',
    POSE % ', "clip": "walk"',
    POSE % ', "clip": "walk", "tick": 3',
    POSE % ', "vx": NaN',
    POSE % ', "x": 3',
    POSE % ', "scale": 0',
    POSE % ', "angle": 1e999',
    POSE % ', "angle": 1e300',
    POSE % ', "cut": 1',
    POSE % ', "colour": 1',
    POSE % ', "_own": 1',
    POSE % ', "_own": 1, "_own": {"a": 1, "a": [NaN]}',
    POSE % ', "_own": "\\ud800"',
    POSE % ', "\\u005fown": 1, "__class__": 1',
    POSE % ', "_own": {"x": 1}, "x": 3',
    POSE % ', "boxes": {"_own": [0, 0, 1, 1]}',
    POSE % "" + " ",
    POSE % "" + POSE % "",
    '{"frame": 0, "poses": [{"id": "a", "kind": "ant", "x": 1}]}',
    '{"frame": 0, "poses": [{"id": "a#1", "kind": "ant", "x": 1, "y": 1}]}',
    '{"frame": 0, "poses": [{"id": "a", "kind": "gnu", "x": 1, "y": 1}]}',
    '{"frame": 0, "poses": [{"id": "a", "kind": "ant", "x": 1, "y": 1}, {"id": "a", "kind": "ant", "x": 1, "y": 1}]}',
    '{"frame": 0, "poses": [null]}',
    '{"frame": 1}',
    '{"frame": 0, "reset": "rum"}',
    '{"frame": 0, "reset": "run"}',
    '{"frame": 0, "inputs": [{"id": "a", "button": "fire", "aim": [1]}]}',
    '{"frame": 0, "inputs": [{"id": "a"}]}',
    '{"frame": 0, "claims": [{"event": "hit", "attacker": "a"}]}',
    '{"frame": 0, "claims": [{"event": "bit"}]}',
    '{"frame": 0, "poses": []',
    '{"frame": 0}\n\n{"frame": 1}',
    '{"frame": 0}\n{"frame": 2}',
    '{"frame": 0}\r\n{"frame": 1}',
    '{"frame":\n0}',
    '{"frame": 0, "poses": [{"id": "\\ud800", "kind": "ant", "x": 1, "y": 1}]}',
]


@pytest.mark.parametrize("line", LINES)
def test_what_is_wrong_is_told_alike(line: str) -> None:
    text = f"{json.dumps(HEADER)}\n{line}\n".encode()
    assert same(read(text), read(text, frame_by_frame=True))


def test_what_a_game_tells_late_is_told() -> None:
    """The first lines show what is looked for in each pose; what comes later is an error no more than it is lost."""
    plain = [{"poses": [{"id": "a", "kind": "ant", "x": 1, "y": 2}]} for _ in range(2 * json_lines.SAMPLE)]
    late: dict[str, Any] = {
        "poses": [{"id": "a", "kind": "ant", "x": 1, "y": 2, "hidden": True, "health": 3, "_own": 1}]
    }
    text = "\n".join(lines_of([*plain, late, *plain])).encode()
    found = read(text)
    assert isinstance(found, Recording)
    assert same(found, read(text, frame_by_frame=True))
    assert (found.poses.hidden.sum(), found.poses.health[2 * json_lines.SAMPLE]) == (1, 3)
    wrong = str(read(text.replace(b'"hidden"', b'"hiden"')))
    assert wrong.startswith(f"test.jsonl:{2 * json_lines.SAMPLE + 2}:")
    assert "did you mean" in wrong


def test_what_is_wrong_further_up_is_told_first() -> None:
    lines = lines_of([{"poses": [{"id": "a", "kind": "gnu", "x": 1, "y": 2}]}, {"poses": []}])
    assert 'unknown kind "gnu"' in str(read("\n".join([*lines, "{"]).encode()))


def test_tables_give_the_same_recording(tmp_path: Path) -> None:
    poses = [{"id": "a", "kind": "hornet", "x": 1.5, "y": -2, "clip": "walk", "tick": 4, "hidden": True}]
    poses.append({"id": "b", "kind": "keeper", "x": 0, "y": 0, "vx": 3, "owner": "a", "facing": -1})
    frames: list[dict[str, Any]] = [{"poses": poses}, {"poses": []}, {"poses": poses[:1], "reset": "room"}]
    frames[1]["inputs"] = [{"id": "a", "button": "fire", "aim": [1, 2]}]
    frames[2]["claims"] = [{"event": "down", "id": "b"}]
    path, book = tmp_path / "game.jsonl", rulebook(sting())
    path.write_text("\n".join(lines_of(frames)) + "\n", encoding="utf-8")
    digests = {load_recording(path, book).digest}
    for form in ("parquet", "csv"):
        with open_frames(path) as source:
            write_recording(source, str(tmp_path / form), form)
        digests.add(load_recording(tmp_path / form, book).digest)
    assert len(digests) == 1
    # a column of the game's own may hold fields of the same names, none of them told
    table = pyarrow.parquet.read_table(tmp_path / "parquet" / "poses.parquet")
    dtype = pyarrow.struct([(name, pyarrow.string()) for name in ("owner", "clip")])
    own = pyarrow.array([{"owner": None, "clip": None}] * len(table), dtype)
    pyarrow.parquet.write_table(table.add_column(0, "_own", own), tmp_path / "parquet" / "poses.parquet")
    assert {load_recording(tmp_path / "parquet", book).digest} == digests


def test_a_misspelt_key_is_seen_beside_many_of_the_games_own() -> None:
    """Keys of the game's own are passed over once there are many; a text that begins like one is no key."""
    book = rulebook({"kinds": {"ant": {}}})
    poses = [{"id": "_a", "kind": "ant", "x": 0, "y": 0, f"_{frame}": 1} for frame in range(300)]
    lines = [{"frame": frame, "poses": [pose]} for frame, pose in enumerate(poses)]
    text = [json.dumps(line).encode() for line in (HEADER, *lines)]
    assert read_recording(text, "r", book).frames == 300
    lines[299]["poses"][0]["facng"] = 1
    with pytest.raises(InputError, match=r'r:301: frame 299: poses\[0\].facng: unknown field "facng"'):
        read_recording([json.dumps(line).encode() for line in (HEADER, *lines)], "r", book)
