"""The timeline: each actor's health, lives and states over frames, runs above each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from voskar.core.ledger import Event
from voskar.core.rules.shapes import Floats, Ints
from voskar.core.views.course import Course
from voskar.core.views.steps import Span
from voskar.core.views.timeline import Timeline
from voskar.drawing.style import CLAIM, FAINT, GRID, INK, PAPER, mark, save

if TYPE_CHECKING:
    from matplotlib.axes import Axes

HEALTH, HEALTH_LINE = "#cfe0cf", "#2f6b3c"
DOWN, HELD = "#c9c4bb", "#8a5a12"
SHIELD, STUN, FREEZE = "#4b7fa8", "#b0742a", "#6a5aa0"
BACK, END = "#2f6b3c", "#a3360b"

LANES = {
    "findings": (1.56, 1.68), "claimed": (1.34, 1.46), "dealt": (1.12, 1.26),
    "ignored": (-0.26, -0.10), "i-frames": (-0.44, -0.30), "stun": (-0.60, -0.46),
    "hitstop": (-0.76, -0.62),
}  # fmt: skip
"""Where each lane lies above or below the health of a row, which is 0 to 1."""


@dataclass(frozen=True)
class GameAccount:
    """The game's account of an actor: frames of its claims, the health that it logs, and where it disagrees."""

    claims: Sequence[int] = ()
    findings: Sequence[int] = ()
    health: tuple[Ints, Floats] | None = None
    """Frames, and the value logged in each."""


@dataclass(frozen=True)
class Strip:
    """Some actors over some frames of a timeline. Frames are drawn from `origin` on, so that runs can be compared."""

    title: str
    course: Timeline
    names: Sequence[str]
    first: int
    last: int
    accounts: Mapping[str, GameAccount]
    origin: int = 0

    def account(self, course: Course) -> GameAccount:
        """The game's account of one of them."""
        return self.accounts.get(course.actor.id, GameAccount())

    def within(self, frames: Sequence[int]) -> list[int]:
        """The part of the spans that is in view."""
        return [frame for frame in frames if self.first <= frame <= self.last]


def draw_timeline(strips: Sequence[Strip], rate: float, title: str, path: Path, ending: str) -> None:
    """Draws strips above each other into a file: "png" or "svg"."""
    from matplotlib.figure import Figure  # about half a second: only a drawing pays for it

    rows = [(strip, strip.course.courses[name]) for strip in strips for name in strip.names]
    lanes = [name for name in LANES if any(_in_lane(name, course, strip) for strip, course in rows)]
    deep = 1.15 + 0.22 * sum(lane in ("findings", "claimed", "hitstop") for lane in lanes)  # inches of a row
    height = min(max(deep * len(rows) + 1.5 + 0.3 * len(strips), 3.2), 24.0)
    figure = Figure(figsize=(12.8, height), dpi=100, facecolor=PAPER)
    gaps = [1.0 if index == 0 or strip is rows[index - 1][0] else 1.35 for index, (strip, _) in enumerate(rows)]
    figure.suptitle(title, x=0.012, y=1 - 0.14 / height, ha="left", va="top", color=INK, fontsize=13, fontweight="bold")
    top, bottom = 1 - 0.72 / height, 0.95 / height
    unit = (top - bottom) / sum(gaps)
    shown = [strip.first - strip.origin for strip in strips], [strip.last + 1 - strip.origin for strip in strips]
    low, high = min(shown[0]), max(shown[1])
    at = top
    last: Axes | None = None
    for index, ((strip, course), gap) in enumerate(zip(rows, gaps, strict=True)):
        at -= unit * gap
        ax = figure.add_axes((0.105, at, 0.845, unit * 0.92))
        begins = index == 0 or rows[index - 1][0] is not strip
        ends = index == len(rows) - 1 or rows[index + 1][0] is not strip
        _row(ax, strip, course, lanes, begins=begins)
        margin = (high - low) * 0.005
        ax.set_xlim(low - margin, high + margin)
        _axes(ax, strip, rate, begins=begins, ends=ends, first=index == 0, last=index == len(rows) - 1)
        last = ax
    assert last is not None
    figure.legend(
        handles=_legend(rows, lanes), loc="lower left", bbox_to_anchor=(0.005, 0.004), ncols=9, frameon=False,
        fontsize=8.5, labelcolor=INK, columnspacing=1.3, handletextpad=0.5,
    )  # fmt: skip
    save(figure, path, ending)


def _in_lane(lane: str, course: Course, strip: Strip) -> bool:
    if lane in ("claimed", "findings"):
        account = strip.account(course)
        return bool(strip.within(account.claims if lane == "claimed" else account.findings))
    found: dict[str, Sequence[Event | Span]] = {
        "dealt": course.dealt, "ignored": course.ignored, "i-frames": course.immune, "stun": course.stunned,
        "hitstop": course.frozen,
    }  # fmt: skip
    return any(_reach(entry)[1] >= strip.first and _reach(entry)[0] <= strip.last for entry in found[lane])


def _reach(entry: Event | Span) -> tuple[int, int]:
    if isinstance(entry, Span):
        return entry.first, entry.last
    return entry.frame, entry.frame if entry.until is None else entry.until


def _axes(ax: Axes, strip: Strip, rate: float, *, begins: bool, ends: bool, first: bool, last: bool) -> None:
    ax.set_facecolor(PAPER)
    for side in ("top", "right", "left", "bottom"):
        ax.spines[side].set_visible(side == "bottom" and ends)
        ax.spines[side].set_color(FAINT)
    ax.grid(axis="x", color=GRID, linewidth=0.8)
    ax.set_axisbelow(True)
    ax.tick_params(axis="x", colors=FAINT, labelsize=8, labelbottom=last, length=3 if last else 0)
    if last:
        ax.set_xlabel("frame" if strip.origin == 0 else "frames since the run began", fontsize=9, color=INK)
    if begins:
        seconds = ax.secondary_xaxis("top", functions=(_scaled(1 / rate), _scaled(rate)))
        seconds.tick_params(colors=FAINT, labelsize=8, length=3, labeltop=first)
        seconds.spines["top"].set_color(FAINT)
        if first:
            seconds.set_xlabel("seconds", fontsize=9, color=INK, labelpad=3)
        ax.text(
            0.0, 0.97, f" {strip.title}", transform=ax.transAxes, va="top", ha="left", fontsize=9, color=INK,
            fontweight="bold", zorder=9,
        )  # fmt: skip


def _scaled(factor: float) -> Callable[[Any], Any]:
    return lambda x: x * factor


def _row(ax: Axes, strip: Strip, course: Course, lanes: Sequence[str], *, begins: bool) -> None:
    """The row of one actor."""
    origin = strip.origin
    lowest = min([LANES[lane][0] for lane in lanes if LANES[lane][0] < 0], default=-0.08)
    highest = max([LANES[lane][1] for lane in lanes], default=1.26)
    ax.set_ylim(lowest - 0.08, max(highest, 1.26) + (0.36 if begins else 0.1))
    name = course.actor.id
    ax.text(-0.052, 0.62, name, transform=ax.transAxes, ha="center", va="center", fontsize=10, color=INK, weight="bold")
    full = course.kind.health
    ax.set_yticks([0, 1] if full is not None else [])
    ax.set_yticklabels(["0", f"{full:g}"] if full is not None else [], fontsize=8)
    ax.tick_params(axis="y", colors=FAINT, length=2)

    def spans(entries: Sequence[Span]) -> list[tuple[int, int]]:
        """(start, length) of those that are seen, a frame being as wide as 1."""
        cut = [(max(span.first, strip.first), min(span.last, strip.last)) for span in entries]
        return [(first - origin, last - first + 1) for first, last in cut if last >= first]

    ax.broken_barh(spans(course.present), (-0.02, 0.02), color=FAINT, linewidth=0)
    _health(ax, strip, course)
    ax.broken_barh(
        spans(course.down), (0, 1), facecolor="none", edgecolor=FAINT, hatch="////", linewidth=0.0, zorder=2.5
    )
    ax.broken_barh(spans(course.down), (0, 1), facecolor=DOWN, alpha=0.45, linewidth=0, zorder=2)
    ax.broken_barh(spans(course.waiting), (0.9, 0.1), facecolor=HELD, linewidth=0, zorder=3)
    awake = _without(course.immune, course.down)  # nothing asks for the i-frames of a downed actor
    for lane, items, colour, hatch in (
        ("i-frames", awake, SHIELD, ""),
        ("stun", course.stunned, STUN, "xxxx"),
        ("hitstop", course.frozen, FREEZE, "||||"),
    ):
        if lane in lanes:
            low, high = LANES[lane]
            ax.broken_barh(spans(items), (low, high - low), facecolor=colour, edgecolor=PAPER, hatch=hatch, linewidth=0)
    _marks(ax, strip, course)
    for lane in lanes:
        if _in_lane(lane, course, strip):
            low, high = LANES[lane]
            ax.text(
                1.002, (low + high) / 2, lane, transform=ax.get_yaxis_transform(), fontsize=7, color=FAINT, va="center",
                ha="left", clip_on=False,
            )  # fmt: skip
    for end in strip.course.ends:
        if strip.first <= end.frame <= strip.last:
            ax.axvline(end.frame + 1 - origin, color=END, linewidth=1.6, zorder=6)
            again = min([mark for mark in strip.course.marks if mark > end.frame], default=strip.last + 1)
            ax.axvspan(end.frame + 1 - origin, again - origin, color=PAPER, alpha=0.6, linewidth=0, zorder=5.5)
            if begins:
                text = f"{end.event}{f': {end.detail}' if end.detail else ''} in {end.frame} "
                _say(ax, end.frame + 1 - origin, 1.0, text, END, "right", top=True)
    for frame, what in strip.course.marks.items():
        if strip.first <= frame <= strip.last and frame != origin:
            ax.axvline(frame - origin, color=INK, linewidth=1.0, linestyle=(0, (4, 3)), zorder=6)
            if begins:
                _say(ax, frame - origin, 1.0, f" {what} again in {frame}", INK, "left", top=True)


def _without(spans: Sequence[Span], others: Sequence[Span]) -> list[Span]:
    """The parts of some spans that others leave; neither overlap among themselves."""
    found = list(spans)
    for other in others:
        pieces = [(Span(span.first, min(span.last, other.first - 1)), Span(max(span.first, other.last + 1), span.last))
                  for span in found]  # fmt: skip
        found = [piece for pair in pieces for piece in pair if piece.first <= piece.last]
    return found


def _say(ax: Axes, x: float, y: float, text: str, colour: str, side: str, *, top: bool = False, size: int = 8) -> None:
    transform = ax.get_xaxis_transform() if top else ax.transData
    ax.text(
        x, y, text, transform=transform, fontsize=size, color=colour, ha=side, va="top" if top else "center", zorder=8
    )


def _health(ax: Axes, strip: Strip, course: Course) -> None:
    """Health as steps, and the lives left where they change."""
    full, origin = course.kind.health, strip.origin
    if full is None:
        ax.text(0.5, 0.5, "no health", transform=ax.transAxes, fontsize=8, color=FAINT, ha="center", va="center")
        return
    for span in course.present:
        first, last = max(span.first, strip.first), min(span.last, strip.last)
        if last < first:
            continue
        inside = [frame for frame in course.health.frames if first < frame <= last]
        edges = [first, *inside, last + 1]
        values = [(course.health.now(frame) or 0.0) / full for frame in edges[:-1]]
        xs = [edge - origin for edge in edges]
        ax.fill_between(xs, [*values, values[-1]], step="post", color=HEALTH, linewidth=0, zorder=1)
        ax.step(xs, [*values, values[-1]], where="post", color=HEALTH_LINE, linewidth=1.5, zorder=4)
    logged = strip.account(course).health
    if logged is not None:
        seen = (logged[0] >= strip.first) & (logged[0] <= strip.last)
        ax.step(
            logged[0][seen] - origin, logged[1][seen] / full, where="post", color=CLAIM, linewidth=1.3, zorder=4.5,
            linestyle=(0, (2, 2)),
        )  # fmt: skip
    lives = [frame for frame in course.lives.frames if strip.first < frame <= strip.last]
    for frame in [strip.first, *lives] if course.lives.values else []:
        left = course.lives.now(frame) or 0.0
        text = f"{left:g} {'life' if left == 1 else 'lives'}"
        note = ax.annotate(text, xy=(frame - origin, 0.2), xytext=(5, 0), textcoords="offset points")
        note.set(fontsize=8, fontweight="bold", color=INK, va="center", zorder=8)
        note.set_bbox({"boxstyle": "round,pad=0.15", "facecolor": PAPER, "edgecolor": "none", "alpha": 0.75})


def _marks(ax: Axes, strip: Strip, course: Course) -> None:
    """Hits, returns, and being out."""
    origin, full = strip.origin, course.kind.health or 1.0

    def within(events: Sequence[Event]) -> list[Event]:
        return [event for event in events if event.frame <= strip.last and (event.until or event.frame) >= strip.first]

    for event in within(course.taken):
        before = (course.health.now(event.frame - 1) if event.frame > strip.course.first else full) or 0.0
        heals = (event.damage or 0.0) < 0
        quiet = event.damage == 0  # it takes nothing
        sign, colour = ("P", BACK) if heals else (mark("landed"), FAINT if quiet else INK)
        size = 5 if quiet else 9
        ax.plot(
            event.frame + 0.5 - origin, min(before / full, 1.0), marker=sign, markersize=size, color=colour, zorder=7,
            markeredgewidth=0.6, markeredgecolor=PAPER, linestyle="none", clip_on=False,
        )  # fmt: skip
    low, high = LANES["dealt"]
    ticks = [event.frame + 0.5 - origin for event in within(course.dealt)]
    ax.vlines(ticks, low, high, color=INK, linewidth=1.6, zorder=5)
    middle = sum(LANES["ignored"]) / 2
    for event in within(course.ignored):
        start, end = event.frame - origin, (event.until or event.frame) + 1 - origin
        ax.plot([start, end], [middle, middle], color=FAINT, linewidth=1.4, solid_capstyle="butt", zorder=4)
        ax.plot(
            start + 0.5, middle, marker=mark(event.outcome), markersize=5, markerfacecolor=PAPER, markeredgecolor=INK,
            markeredgewidth=1.0, linestyle="none", zorder=5,
        )  # fmt: skip
    account = strip.account(course)
    for lane, frames, sign, colour in (
        ("claimed", account.claims, "s", CLAIM),
        ("findings", account.findings, "d", END),
    ):
        middle = sum(LANES[lane]) / 2
        at = [frame + 0.5 - origin for frame in strip.within(frames)]
        ax.plot(at, [middle] * len(at), marker=sign, markersize=4.5, color=colour, linestyle="none", zorder=5)
    for event in within(course.returns):
        ax.plot(event.frame - origin, 0, marker="^", markersize=8, color=BACK, zorder=7, clip_on=False)
    for frame in course.outs:
        if strip.first <= frame <= strip.last:
            ax.plot(frame + 1 - origin, 0.68, marker="X", markersize=9, color=END, zorder=7, linestyle="none")


def _legend(rows: Sequence[tuple[Strip, Course]], lanes: Sequence[str]) -> list[Any]:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    courses = [course for _, course in rows]
    handles: list[Any] = [Patch(facecolor=HEALTH, edgecolor=HEALTH_LINE, label="health")]

    def sign(marker: str, label: str, **fields: Any) -> None:
        handles.append(
            Line2D([], [], marker=marker, linestyle="none", **{"color": INK, "markersize": 7, **fields}, label=label)
        )

    damages = [event.damage or 0.0 for course in courses for event in course.taken]
    if any(damage >= 0 for damage in damages):
        sign(mark("landed"), "hit landed on it", markersize=9)
    if any(damage < 0 for damage in damages):
        sign("P", "healed", color=BACK)
    for outcome in sorted({event.outcome or "" for course in courses for event in course.ignored}):
        sign(mark(outcome), f"{outcome}, ignored", markerfacecolor=PAPER)
    if "dealt" in lanes:
        sign("|", "hit it landed", markeredgewidth=1.6, markersize=8)
    if any(course.down for course in courses):
        handles.append(Patch(facecolor=DOWN, edgecolor=FAINT, hatch="////", label="down"))
    if any(course.waiting for course in courses):
        handles.append(Patch(facecolor=HELD, label="held back"))
    if "i-frames" in lanes:
        handles.append(Patch(facecolor=SHIELD, label="i-frames"))
    if "stun" in lanes:
        handles.append(Patch(facecolor=STUN, edgecolor=PAPER, hatch="xxxx", label="stun"))
    if "hitstop" in lanes:
        handles.append(Patch(facecolor=FREEZE, edgecolor=PAPER, hatch="||||", label="hitstop"))
    if any(strip.account(course).health is not None for strip, course in rows):
        handles.append(Line2D([], [], color=CLAIM, linewidth=1.3, linestyle=(0, (2, 2)), label="health as logged"))
    if "claimed" in lanes:
        sign("s", "the game claims", color=CLAIM, markersize=5)
    if "findings" in lanes:
        sign("d", "finding", color=END, markersize=6)
    if any(course.returns for course in courses):
        sign("^", "respawn", color=BACK)
    if any(course.outs for course in courses):
        sign("X", "out", color=END)
    return handles
