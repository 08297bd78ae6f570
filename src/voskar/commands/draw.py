"""`voskar draw`: pictures of frames."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
import numpy as np

from voskar.commands import present
from voskar.commands.options import (
    Command,
    FrameRange,
    account_options,
    actors_option,
    check_actors,
    inputs,
    load,
    out_option,
    picture_ending,
    resync_of,
)
from voskar.commands.watching import watch_option
from voskar.core.adopt.window import Windows
from voskar.core.posing import Bounds
from voskar.core.recording import Recording
from voskar.core.views.hud import HudFrame, display, displayed, eventful
from voskar.core.views.scene import Scene, scene
from voskar.core.views.timeline import timeline as timeline_of
from voskar.core.watching import Watched, watched
from voskar.errors import InputError, Problem, printable
from voskar.evidence.check import check
from voskar.evidence.finding import Finding
from voskar.files.reading import plain_errors, whole_file
from voskar.files.windows import parse_windows
from voskar.words import counted

if TYPE_CHECKING:
    from voskar.drawing.timeline import GameAccount

PANELS = 24
"""Frames of a strip at most: of more, some are left out."""
LONGEST = 600
"""Most frames of a clip."""
TRAIL = 12
MOST = 40
"""Findings that are drawn at most."""
GAUGES = 3  # the most actors with health above a frame


class Region(click.ParamType[Bounds]):
    """`x0,y0,x1,y1`, any two opposite corners."""

    name = "region"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> Bounds:
        """The corners, low ones first."""
        if isinstance(value, tuple):
            return value
        try:
            x0, y0, x1, y1 = (float(piece) for piece in value.split(","))
        except ValueError:
            self.fail(f'found "{value}", expected two corners such as 100,200,180,260', param, ctx)
        if x0 == x1 or y0 == y1:
            self.fail(f'the corners "{value}" span no area', param, ctx)
        return min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1)


class Moments:
    """The data of pictures of a recording as it was judged, frame by frame."""

    def __init__(self, rulebook: str, recording: str, seen: Watched, windows: Windows) -> None:
        self.seen, self.rules, self.windows = seen, seen.world.rules, windows
        self.course = timeline_of(self.rules, seen.recording, seen.ledger)
        self.title = printable(f"{Path(recording).name} by {Path(rulebook).name}")

    def at(self, frames: Sequence[int], actors: Sequence[str], trail: int) -> tuple[list[Scene], list[HudFrame]]:
        """Scenes of some frames, and the heads-up values of some actors, or of those that a display would show."""
        rules, course, seen = self.rules, self.course, self.seen
        scenes = []
        for frame in frames:
            down = {name for name, timeline in course.courses.items() if timeline.is_down(frame)}
            window = self.windows.of("hit")
            scenes.append(scene(rules, seen.recording, seen.ledger, frame, trail, down, seen.world.catalog, window))
        shown = [name for name in displayed(course) if not actors or name in actors][:GAUGES]
        return scenes, [display(rules, course, frame, shown) for frame in frames]


def draw_findings(moments: Moments, findings: Sequence[Finding], folder: Path) -> int:
    """A picture of each finding, of both actors in its frame, up to 40; how many."""
    from voskar.drawing.frame import View, draw_frames

    known, recording = moments.seen.recording.numbers, moments.seen.recording
    with plain_errors(folder):
        folder.mkdir(parents=True, exist_ok=True)
    for number, finding in enumerate(findings[:MOST], 1):
        # A finding about the end of a run may lie outside the frames.
        frame = min(max(finding.frame, recording.first), recording.last)
        # A driven actor has no number until the replay has made it.
        actors = tuple(name for name in (finding.attacker, finding.target) if name in known)
        scenes, displays = moments.at([frame], actors, TRAIL)
        stem = moments.title.partition(".")[0]
        with whole_file(folder / f"{stem}-{number:02}-frame-{frame}-{finding.code}.png") as part:
            draw_frames(moments.rules, recording, scenes, displays, View(None, actors), part, "png", moments.title)
    return min(len(findings), MOST)


def _accounts(recording: Recording, findings: Sequence[Finding]) -> dict[str, GameAccount]:
    """The game's account of each actor, and where it disagrees. A claim is shown at the actor that it happened to."""
    from voskar.drawing.timeline import GameAccount

    claims, odd = defaultdict(list), defaultdict(list)
    for claim in recording.claims:
        # A claim belongs to the actor it happened to, or the timeline shows a hit at the attacker.
        claims[claim.target or claim.id or claim.attacker].append(claim.frame)
    for finding in findings:
        odd[finding.target or finding.attacker].append(finding.frame)
    poses, found = recording.poses, {}
    for name, number in recording.numbers.items():
        rows = poses.rows_of(number)
        rows = rows[~np.isnan(poses.health[rows])]
        logged = (poses.frame[rows], poses.health[rows]) if len(rows) else None
        found[name] = GameAccount(claims[name], odd[name], logged)
    return found


def _timeline(
    rulebook: str,
    recordings: list[str],
    reactions: str | None,
    account: tuple[tuple[str, ...], bool],
    frames: tuple[int, int] | None,
    actors: tuple[str, ...],
    by_run: bool,
    path: Path,
) -> None:
    from voskar.drawing.timeline import Strip, draw_timeline

    ending = picture_ending(path)
    strips, rate, title = [], 60.0, ""
    for name in recordings:
        book, played = load(rulebook, name, reactions)
        rules = book.rules(played.rate)
        verdict, ledger = check(rules, played, windows=parse_windows(account[0]), resync=account[1], explains=False)
        course = timeline_of(rules, played, ledger)
        table = _accounts(played, [root for root, _ in verdict.roots])
        check_actors(course.courses, actors, "--actor")
        names = list(actors) or eventful(course)
        rate, title = float(played.rate), title or played.title
        first, last = played.first, played.last
        if frames is not None:
            first, last = max(frames[0], first), min(frames[1], last)
        if first > last:
            message = f"expected frames of the recording, {played.first} to {played.last}"
            raise InputError(Problem(message, key="--frame"))
        label = Path(name).name
        if not by_run:
            strips.append(Strip(label if len(recordings) > 1 else "", course, names, first, last, table))
            continue
        # A run ends in the frame before the next one begins.
        for number, (start, end) in enumerate(pairwise([*course.runs, played.last + 1]), 1):
            if start <= last and end > first:
                run = f"{label}, run {number} from {start} on"
                strips.append(Strip(run, course, names, max(start, first), min(end - 1, last), table, start))
    if not any(strip.names for strip in strips):
        raise InputError(Problem("found nobody, expected an actor to draw", file=recordings[0]))
    # Nothing is left behind if the drawing fails.
    with whole_file(path) as part:
        draw_timeline(strips, rate, f"timeline · {title}" if title else "timeline", part, ending)
    present.say(f"drew {counted(len(strips), 'timeline')} to {path}")


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar draw apiary.toml meadow.jsonl --frame 274 --actor keeper
  voskar draw apiary.toml meadow.jsonl --frame 208-213 --actor hornet-1 -o strip.png
  voskar draw apiary.toml meadow.jsonl --frame 1131 --region 150,260,250,340 -o twice.svg
  voskar draw apiary.toml meadow.jsonl --frame 268-278 --actor keeper -o sting.webp
  voskar draw apiary.toml meadow.jsonl --timeline --actor keeper --actor hornet-1
""",
)
@inputs
@account_options()
@click.option("--frame", "frames", type=FrameRange(), metavar="N", help="A frame, or a range: 208-213.")
@click.option("--timeline", is_flag=True, help="Health, lives and states of actors over frames instead of boxes.")
@click.option("--by-run", is_flag=True, help="With --timeline: one run of the recording above the other.")
@click.option("--beside", metavar="RECORDING", help="With --timeline: another recording below.")
@out_option("Where to draw: .png, .svg, or a clip: .webp, .gif, .apng.  [default: frame-N.png, timeline.png]")
@actors_option("Zoom to this actor")
@click.option("--region", type=Region(), metavar="X0,Y0,X1,Y1", help="Zoom to a part of the world.")
@click.option(
    "--pace",
    default=0.25,
    show_default=True,
    type=click.FloatRange(0.01, 4),
    metavar="TIMES",
    help="Of a clip: how fast.",
)
@watch_option
@click.option("--trail", default=TRAIL, show_default=True, metavar="N", help="Frames before that leave a trail.")
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    frames: tuple[int, int] | None,
    timeline: bool,
    by_run: bool,
    beside: str | None,
    out: str | None,
    actor: tuple[str, ...],
    region: Bounds | None,
    pace: float,
    trail: int,
) -> None:
    """Draw every open box in a frame of RECORDING, with every touch and its outcome.

    A range is drawn as a strip of up to 24 frames, evenly spread over it. Into a .webp, .gif or .apng it is drawn as a
    clip of all its frames. Roles differ by line and hatch, outcomes by marks: nothing depends on colour.

    With --timeline, draw the health, lives, i-frames, stun, hits, deaths and returns of actors over all frames, or
    over the range of --frame.
    """
    if not timeline and (by_run or beside):
        raise click.UsageError("--by-run and --beside go with --timeline")
    if timeline:
        others = [beside] if beside else []
        _timeline(
            rulebook,
            [recording, *others],
            reactions,
            (within, resync),
            frames,
            actor,
            by_run,
            Path(out or "timeline.png"),
        )
        return
    if frames is None:
        raise click.UsageError("give --frame, or --timeline")
    from voskar.drawing.clip import FORMATS, images, write_clip
    from voskar.drawing.frame import View, draw_frames, view_bounds

    book, played = load(rulebook, recording, reactions)
    first, last = max(frames[0], played.first), min(frames[1], played.last)
    if first > last:
        message = f"expected frames of the recording, {played.first} to {played.last}"
        raise InputError(Problem(message, key="--frame"))
    path = Path(out or (f"frame-{first}.png" if first == last else f"frames-{first}-{last}.png"))
    ending = picture_ending(path, ("png", "svg", *FORMATS))
    rules = book.rules(played.rate)
    moving = ending in FORMATS
    # A strip has room for a few frames, a clip for all.
    count = last - first + 1 if moving else min(last - first + 1, PANELS)
    if moving and count > LONGEST:
        raise InputError(Problem(f"found {count} frames, expected at most {LONGEST} in a clip", key="--frame"))
    # Rounded from the first frame on, so that both ends are always in the strip.
    picked = [first + round(index * (last - first) / max(count - 1, 1)) for index in range(count)]
    seen = watched(rules, played, resync=resync_of(played, within, resync))
    check_actors(seen.recording.numbers, actor, "--actor")
    stage = Moments(rulebook, recording, seen, parse_windows(within))
    scenes, displays = stage.at(picked, actor, trail)
    view = View(region, actor)
    if moving:
        from rich.progress import track

        console = present.console()
        pictures = images(rules, seen.recording, scenes, displays, view_bounds(view, rules, scenes), stage.title)
        drawn = list(
            track(pictures, "drawing", count, console=console, transient=True, disable=not console.is_terminal)
        )
        with whole_file(path) as part:
            write_clip(drawn, part, ending, 1000 / (float(played.rate) * pace))
        present.say(f"drew a clip of frames {first} to {last}, at {present.number(pace)} times its speed, to {path}")
        return
    with whole_file(path) as part:
        draw_frames(rules, seen.recording, scenes, displays, view, part, ending, stage.title)
    present.say(f"drew {'frame' if count == 1 else 'frames'} {', '.join(map(str, picked))} to {path}")
