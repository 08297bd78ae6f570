"""Pictures of frames: one, or a strip of several."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from pathlib import Path

import numpy as np

from voskar.core.posing import Bounds
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.rules.shapes import Floats
from voskar.core.views.hud import HudFrame, clock, icons
from voskar.core.views.scene import Scene, SceneActor
from voskar.drawing.boxes import draw_touch, fill_box, name_box, outline_box, overlaps, touch_times
from voskar.drawing.canvas import Canvas, Panel
from voskar.drawing.labels import Labels
from voskar.drawing.legend import ROW, draw_legend, rows_of, samples
from voskar.drawing.style import BOUNCED, CLAIM, FAINT, GRID, INK, MARKED, MUZZLE, PAPER, PIVOT, SOLID, mark

LABELLED = 26  # boxes up to which each is named next to it
CROWD = 12  # recorded actors up to which each is named with its clip
BEHIND = ("body", "hurtbox", "hitbox")  # each layer is drawn over by the next
WIDE, TITLE, LEFT, RIGHT, GAP, TICKS = 12.8, 0.42, 0.5, 0.15, 0.45, 0.3
"""Inches: of a picture, above all, at the sides, between two panels, for the numbers below one."""


@dataclass(frozen=True)
class View:
    """The view of a picture: a region of the world, or some actors and those they touch; else every actor that touches,
    or everything."""

    region: Bounds | None = None
    actors: tuple[str, ...] = ()


def view_bounds(view: View, rules: Rules, scenes: Sequence[Scene]) -> Bounds:
    """The part of the world that a view shows in all of some scenes."""
    if view.region:
        return view.region
    pairs = [{contact.attacker, contact.target} for scene in scenes for contact in scene.contacts]
    names = set(view.actors).union(*(pair for pair in pairs if not view.actors or pair & set(view.actors)))
    boxes = [box.bounds for scene in scenes for box in scene.boxes if not names or box.actor in names]
    points = [(a.x, a.y) for scene in scenes for a in scene.actors if not names or a.id in names]
    if not names and rules.space.bounds:
        boxes = [rules.space.bounds]
        points = []
    xs = [x for box in boxes for x in (box[0], box[2])] + [x for x, _ in points] or [0.0]
    ys = [y for box in boxes for y in (box[1], box[3])] + [y for _, y in points] or [0.0]
    margin = max(max(xs) - min(xs), max(ys) - min(ys), 20.0) * (0.3 if names else 0.05)
    x0, y0, x1, y1 = min(xs) - margin, min(ys) - margin, max(xs) + margin, max(ys) + margin
    wanted = 1.65 if len(scenes) == 1 else 1.2  # a wide picture shows more of the surroundings
    wider = max((y1 - y0) * wanted - (x1 - x0), 0.0) / 2
    return x0 - wider, y0, x1 + wider, y1


def draw_frames(
    rules: Rules,
    recording: Recording,
    scenes: Sequence[Scene],
    displays: Sequence[HudFrame],
    view: View,
    path: Path,
    ending: str,
    title: str,
) -> None:
    """Draws one scene, or several as a strip, each with its heads-up values, into a file: "png" or "svg"."""
    vector = path if ending == "svg" else None
    canvas = drawn(rules, recording, scenes, displays, view_bounds(view, rules, scenes), title, vector=vector)
    if vector is None:
        canvas.save(path)
    canvas.close()


def drawn(
    rules: Rules,
    recording: Recording,
    scenes: Sequence[Scene],
    displays: Sequence[HudFrame],
    shown: Bounds,
    title: str,
    dots: int = 100,
    vector: Path | None = None,
    explained: Sequence[Scene] | None = None,
) -> Canvas:
    """The picture of one scene or several, of a part of the world, at so many dots an inch. The legend is that of the
    scenes `explained`, if they are others: all pictures with one legend are of one size."""
    wide, high = shown[2] - shown[0], shown[3] - shown[1]
    alone = len(scenes) == 1
    most = 1 if alone else 2 if len(scenes) < 5 and wide > 1.6 * high else 3 if len(scenes) <= 12 else 4
    columns = min(len(scenes), most)
    rows = math.ceil(len(scenes) / columns)
    groups = [_display_lines(values, float(recording.rate)) for values in displays]
    legend = rows_of(samples(explained or scenes, shown), WIDE - LEFT - RIGHT)
    head = 0.32 if alone else 0.26 + 0.11 * max(max(map(len, groups)) - 1, 0)  # inches above a panel
    below = 0.45 + ROW * len(legend)
    across = (WIDE - LEFT - RIGHT - GAP * (columns - 1)) / columns
    fits = rows * (across * high / wide + head + TICKS) - TICKS + TITLE + below
    height = min(max(fits, 4.0), 24.0)
    deep = (height - TITLE - below - rows * head - (rows - 1) * TICKS) / rows
    canvas = Canvas(WIDE, height, dots, vector)
    for number, (scene, lines) in enumerate(zip(scenes, groups, strict=True)):
        x = LEFT + (number % columns) * (across + GAP)
        y = height - TITLE - (number // columns) * (head + deep + TICKS) - head
        cell = x * canvas.inch, (y - deep) * canvas.inch, (x + across) * canvas.inch, y * canvas.inch
        _scene(Panel(canvas, cell, shown, down=rules.space.up == "-y"), scene, lines, rules, recording, alone=alone)
    title = f" · {recording.title}" * bool(recording.title) + f" · {title}"
    first, last = scenes[0].frame, scenes[-1].frame
    frames = f"frame {first}" if alone else f"frames {first} to {last}"
    if len(scenes) < last - first + 1:
        frames += f", {len(scenes)} of {last - first + 1}"
    place = (0.01 * canvas.wide, canvas.high - 0.1 * canvas.inch)
    canvas.text(frames + title, place, 13, INK, bold=True, along="top")
    draw_legend(canvas, legend, LEFT)
    return canvas


def _scene(
    panel: Panel, scene: Scene, names: Sequence[str], rules: Rules, recording: Recording, *, alone: bool
) -> None:
    """One panel: the actors further behind are drawn first."""
    canvas, shown = panel.canvas, panel.shown
    x0, _, x1, y1 = panel.bounds
    _grid(panel, 9 if alone else 7)
    seconds = (scene.frame - recording.first) / float(recording.rate)
    above = y1 + 6 * canvas.dot
    canvas.text(f"{scene.frame}  ({seconds:.3f} s)", (x0, above), 10, INK, along="bottom")
    text, size = ("   " if alone else "\n").join(names), 9 if alone else 6.5
    if names:
        canvas.text(text, (x1, above), size, INK, across="right", along="bottom")
    canvas.clip = panel.bounds
    if rules.space.bounds:
        left, low, right, high = rules.space.bounds
        edge = panel.dots([(left, low), (right, low), (right, high), (left, high), (left, low)])
        canvas.lines([edge], INK, 1.0, (0, (8, 3, 1, 3)))
    for ring in scene.solids:
        canvas.area(panel.dots(ring), fill=SOLID.fill, line=SOLID.line, width=SOLID.width, hatch=SOLID.hatch)
    span = shown[2] - shown[0]
    actors = [actor for actor in scene.actors if overlaps((actor.x, actor.y, actor.x, actor.y), shown)]
    for actor in actors:
        for trail in _unjumped(actor.trail, span):
            places = panel.dots(trail)
            canvas.lines([places], FAINT, 0.9, alpha=0.7)
            for x, y in places.tolist():
                canvas.mark((x, y), "o", 1.25, FAINT, FAINT, 0.5)
    touching = {(c.attacker, c.hitbox) for c in scene.contacts} | {(c.target, c.hurtbox) for c in scene.contacts}
    visible = [box for box in scene.boxes if overlaps(box.bounds, shown)]
    times = touch_times(scene)
    for number, role in enumerate(BEHIND):
        own = [box for box in visible if box.role == role]
        over = [box.bounds for box in visible if BEHIND.index(box.role) > number]
        for box in own:
            fill_box(panel, box)
        for box in own:
            covered = any(np.allclose(box.bounds, other, atol=span * 1e-3) for other in over)
            outline_box(panel, box, strong=(box.actor, box.name) in touching, covered=covered)
    for box in visible:
        if box.way and (box.actor, box.name) in times:
            draw_touch(panel, box, times[box.actor, box.name])
    _shots(panel, scene, span)
    for place in scene.bounces:
        canvas.mark(panel.dot(*place), BOUNCED, 6, INK)
    for actor in actors:
        _stand(panel, actor, scene)
    labels = Labels(panel)
    _contacts(labels, scene, alone=alone)
    _claims(labels, scene, alone=alone)
    for shot in (shot for shot in scene.shots if shot.expected):
        names = "it is not shown" if shot.shown is None else f"{shot.shown[0]} appears {shot.shown[1]:.1f} units off"
        away = "" if shot.pivot is None else f", {math.dist(shot.pivot, (shot.x, shot.y)):.1f} from its pivot"
        text = f"expected: {shot.emitter or 'left behind'}{away}; {names}" if alone else "expected"
        labels.put(text, (shot.x, shot.y), (24, 26), 8 if alone else 6.5, MUZZLE, boxed=True)
    for actor in actors:
        labels.keep_free((actor.x, actor.y), 5)
    _names(labels, scene, actors, alone=alone)
    for event in scene.denied:
        owner = next((actor for actor in scene.actors if actor.id == event.id), None)
        if owner is not None:
            text = f"{event.emitter} denied: {event.detail}"
            labels.put(text, (owner.x, owner.y), (26, -30), 9 if alone else 7, INK, boxed=True)
    for box in visible if len(visible) <= LABELLED else ():
        name_box(labels, box, 8 if alone else 6.5)
    canvas.clip = None


def _is_named(actor: SceneActor, scene: Scene) -> bool:
    """Whether it is more than a spark."""
    return not actor.driven or any(box.actor == actor.id for box in scene.boxes)


def _stand(panel: Panel, actor: SceneActor, scene: Scene) -> None:
    """Where an actor is, and where it looks."""
    canvas, (x, y) = panel.canvas, panel.dot(actor.x, actor.y)
    canvas.mark((x, y), "+", 5 if actor.driven else 9, INK, width=1.2)
    if _is_named(actor, scene):
        reach, way = 0.018 * (panel.bounds[2] - panel.bounds[0]), math.radians(actor.heading)
        up = -1 if panel.down else 1
        canvas.arrow((x, y), (x + reach * math.cos(way), y + up * reach * math.sin(way)), INK, 1.1)


def _names(labels: Labels, scene: Scene, actors: Sequence[SceneActor], *, alone: bool) -> None:
    """Labels of actors. In a crowd, and for driven actors, only where there is room, and short."""
    busy = {name for event in scene.contacts for name in (event.attacker, event.target)}
    busy |= {name for claim in scene.claims for name in (claim.attacker, claim.target, claim.id)}
    named = [actor for actor in actors if _is_named(actor, scene)]
    crowd = sum(not actor.driven for actor in named) > CROWD
    for actor in sorted(named, key=lambda actor: (actor.driven, actor.id not in busy)):
        small = actor.driven or (crowd and actor.id not in busy)
        size = (7 if small else 9) if alone else (6 if small else 7)
        name = f"{actor.id}, down" if actor.down else actor.id
        between = "\n" if alone else " · "
        clip = f"{between}{actor.clip}, cell {actor.cell}" if actor.clip and (actor.driven or not small) else ""
        below = (0, -26 if clip and alone else -19 if alone and not small else -13)
        foot = _foot(actor, scene, labels.panel.down)
        labels.put(name + clip, foot, below, size, INK, bold=not small, spare=small)


def _contacts(labels: Labels, scene: Scene, *, alone: bool) -> None:
    """Draws contacts and their outcomes."""
    panel, placed = labels.panel, list[tuple[float, float]]()
    span = panel.shown[2] - panel.shown[0]
    for contact in scene.contacts:
        if contact.x is None or contact.y is None:
            continue
        at = _contact_place(
            scene, contact.attacker or "", contact.hitbox or "", contact.target or "", contact.hurtbox or ""
        )
        at = at or (contact.x, contact.y)
        full = contact.outcome == "landed"
        same = sum(math.dist(at, other) < span * 0.015 for other in placed)
        placed.append(at)
        at = (at[0] - same * span * 0.014, at[1])  # marks of one place stand side by side
        size, fill = (15, INK) if full else (9, None)
        panel.canvas.mark(panel.dot(*at), mark(contact.outcome), size, INK, fill, MARKED)
        labels.keep_free(at, 9 if full else 6)
    for contact, at in zip(
        (contact for contact in scene.contacts if None not in (contact.x, contact.y)), placed, strict=True
    ):
        came = f"{contact.outcome}, {contact.case}" if contact.case else contact.outcome or ""
        text = f"{came}: {contact.hitbox} on {contact.hurtbox}" if alone else came
        labels.put_beside(text, at, 9 if alone else 7)


def _grid(panel: Panel, size: float) -> None:
    """Lines and numbers at round places."""
    from matplotlib.ticker import MaxNLocator

    canvas, (x0, y0, x1, y1) = panel.canvas, panel.bounds
    most = [max(2, min(9, int(length / canvas.inch / 0.045 / size))) for length in (x1 - x0, y1 - y0)]
    left, low, right, high = panel.shown
    xs, ys = (
        [at for at in MaxNLocator(count, steps=(1, 2, 2.5, 5, 10)).tick_values(first, last) if first <= at <= last]
        for count, first, last in zip(most, (left, low), (right, high), strict=True)
    )
    across, along = [panel.dot(x, low)[0] for x in xs], [panel.dot(left, y)[1] for y in ys]
    edge = [[(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x0, y0)]]
    lines = [[(x, y0), (x, y1)] for x in across] + [[(x0, y), (x1, y)] for y in along]
    canvas.lines(lines + edge, GRID, 0.8)
    for x, place in zip(xs, across, strict=True):
        canvas.text(f"{x + 0.0:.10g}", (place, y0 - 5 * canvas.dot), size, FAINT, across="middle", along="top")
    for y, place in zip(ys, along, strict=True):
        canvas.text(f"{y + 0.0:.10g}", (x0 - 5 * canvas.dot, place), size, FAINT, across="right")


def _claims(labels: Labels, scene: Scene, *, alone: bool) -> None:
    """Draws the game's claims in the frame, and missing ones, as flags above their actors."""
    up = -1 if labels.panel.down else 1
    odd = [(event.detail, event.attacker, event.target or event.id) for event in scene.adopted]
    pairs: list[tuple[str | None, str]] = []
    landed = Counter((event.attacker, event.target) for event in scene.contacts if event.outcome == "landed")
    claims = [claim for claim in scene.claims if claim.frame == scene.frame]
    alike = Counter((claim.event, claim.attacker, claim.target or claim.id) for claim in claims)
    for claim in reversed(claims):  # of several alike the last ones are too many
        name = claim.target or claim.id or claim.attacker
        by = f" by {claim.attacker}" if claim.attacker and claim.target else ""
        same = (claim.event, claim.attacker if claim.event == "hit" else None, name)
        denied = same in odd
        if denied:
            odd.remove(same)
        elif claim.event == "hit" and alike["hit", claim.attacker, name] > max(landed[claim.attacker, name], 1):
            denied = True
            alike["hit", claim.attacker, name] -= 1
        pairs.append((name, f"■ game claims {claim.event}{by}" + (", the rules do not" if denied else "")))
    for claim in scene.claims:
        if claim.frame != scene.frame:
            by = f" by {claim.attacker}" if claim.attacker and claim.target else ""
            pairs.append((claim.target or claim.attacker, f"■ game claims hit{by} in {claim.frame}"))
    pairs += [(name, f"□ game claims no hit by {by}") for detail, by, name in odd if detail == "no hit"]
    for name, text in pairs:
        actor = next((actor for actor in scene.actors if actor.id == name), None)
        if actor is None:
            continue
        ys = [y for box in scene.boxes if box.actor == name for y in (box.bounds[1], box.bounds[3])] + [actor.y]
        top = max(ys) if up > 0 else min(ys)
        labels.put(text, (actor.x, top), (0, 22 if alone else 12), 9 if alone else 7, CLAIM, bold=True)


def _display_lines(values: HudFrame, rate: float) -> list[str]:
    """Health, lives, clock and score after the frame."""
    lines = []
    for gauge in values.gauges:
        lives = "" if gauge.lives is None else f"  {gauge.lives} {'life' if gauge.lives == 1 else 'lives'}"
        state = f"  {gauge.state}" if gauge.state else ""
        lines.append(f"{gauge.actor} {icons(gauge)}{lives}{state}")
    lines += [f"{name} {points:g} points" for name, points in values.score]
    if not lines:
        return []
    end = f"  {values.end}" if values.end else ""
    return [*lines, clock(values.clock, rate) + end]


def _unjumped(trail: Floats, span: float) -> list[Floats]:
    """A trail in pieces, cut where it leaps: through an edge, or home."""
    if len(trail) < 2:
        return []
    leaps = np.flatnonzero(np.hypot(*np.diff(trail, axis=0).T) > span / 4) + 1
    return [piece for piece in np.split(trail, leaps) if len(piece) > 1]


def _shots(panel: Panel, scene: Scene, span: float) -> None:
    """Muzzles with their aims, and where children and hit effects came up; those of this very frame stronger."""
    for shot in scene.shots:
        if not overlaps((shot.x, shot.y, shot.x, shot.y), panel.shown):
            continue
        now = shot.frame == scene.frame
        if shot.fired:
            way = math.radians(shot.angle)
            reach = span * (0.05 if now else 0.03)
            tip = (shot.x + reach * math.cos(way), shot.y + reach * math.sin(way))
            panel.canvas.lines([panel.dots([(shot.x, shot.y), tip])], MUZZLE, 1.6 if now else 0.8, (0, (3, 2)))
        if shot.pivot is not None:
            panel.canvas.lines([panel.dots([shot.pivot, (shot.x, shot.y)])], MUZZLE, 0.8)
            panel.canvas.mark(panel.dot(*shot.pivot), PIVOT, 6, MUZZLE)
        sign, fill = "D" if shot.fired else "h", MUZZLE if now else PAPER
        panel.canvas.mark(panel.dot(shot.x, shot.y), sign, 7 if now else 4, MUZZLE, fill)


def _foot(actor: SceneActor, scene: Scene, inverted: bool) -> tuple[float, float]:
    """Below everything that belongs to an actor, so that its name hides none of it."""
    ys = [y for box in scene.boxes if box.actor == actor.id for y in (box.bounds[1], box.bounds[3])] + [actor.y]
    return actor.x, max(ys) if inverted else min(ys)


def _contact_place(scene: Scene, attacker: str, hitbox: str, target: str, hurtbox: str) -> tuple[float, float] | None:
    """The middle of where two boxes' bounds overlap in this frame; None if they do not."""
    hits = [box.bounds for box in scene.boxes if (box.actor, box.name) == (attacker, hitbox)]
    hurts = [box.bounds for box in scene.boxes if (box.actor, box.name) == (target, hurtbox)]
    for a, b in product(hits, hurts):  # across an edge a box is there twice
        if overlaps(a, b):
            return (max(a[0], b[0]) + min(a[2], b[2])) / 2, (max(a[1], b[1]) + min(a[3], b[3])) / 2
    return None
