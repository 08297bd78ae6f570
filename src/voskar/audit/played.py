"""Checks that hold a rulebook against a recording."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from voskar.audit.findings import AuditedBook, AuditFinding, Check
from voskar.audit.shapes import thickness
from voskar.core.boxes import FormedBox
from voskar.core.recording import Recording
from voskar.core.recording.lingering import shorter, spans
from voskar.core.recording.shown import cells
from voskar.core.views.summary import everyone


def up_differs(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A rulebook and a recording that disagree on where up is."""
    played = audit.recording
    if played is not None and played.up != audit.rules.space.up:
        reason = f'the rulebook says up = "{audit.rules.space.up}", the recording "{played.up}"'
        yield audit.finding(
            "up-differs", ("space", "up"), reason, "above, below and falling follow the rulebook: make them agree"
        )


def _shown(audit: AuditedBook, played: Recording) -> dict[str, set[str]]:
    """The clips that a recording shows, by kind."""
    numbers = np.unique(np.stack([audit.kinds, played.poses.clip]), axis=1)
    found: dict[str, set[str]] = {}
    for kind, clip in numbers.T.tolist():
        if clip >= 0:
            found.setdefault(audit.catalog.kinds[kind], set()).add(played.clips[clip])
    return found


def clip_unshown(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A clip that a box names and no pose of its kind shows."""
    if audit.recording is None:
        return
    shown = _shown(audit, audit.recording)
    present = {actor.kind for actor in audit.recording.actors}
    for kind, box, where in audit.boxes():
        for table in ("during", "keys"):
            for clip in getattr(box, table) or {}:
                if kind.name in present and clip not in shown.get(kind.name, set()):
                    text = ", ".join(sorted(shown.get(kind.name, set()))) or "none"
                    reason = f"no {kind.name} shows the clip {clip} in the recording; it shows {text}"
                    yield audit.finding("clip-unshown", (*where, table, clip), reason, "check the clip's name in both")


def clip_unknown(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A clip in the recording that a kind with clips of its own does not know: one of four directions forgotten."""
    if audit.recording is None:
        return
    for name, clips in _shown(audit, audit.recording).items():
        kind = audit.rules.kinds[name]
        timed = {clip for box in kind.boxes for clip in {**(box.during or {}), **box.keys}}
        for clip in sorted(clips - set(kind.clips) - timed):
            # Clips with the same beginning are most likely the directions of one move.
            fellow = next((name for name in sorted(timed) if name[:3] == clip[:3]), None)
            if fellow is not None:
                reason = f"the recording shows the clip {clip}, which no box of {name} names, though they name {fellow}"
                yield audit.finding(
                    "clip-unknown", ("kinds", name), reason, f"give {clip} the windows and keys that {fellow} has"
                )


def tunnels(audit: AuditedBook) -> Iterator[AuditFinding]:
    """An unswept hitbox that moves further in a frame than the thinnest box it should meet is thick."""
    played, catalog = audit.recording, audit.catalog
    if played is None:
        return
    poses = played.poses
    before = poses.previous
    # A jump, a hidden frame or an appearance is no way that a box flies.
    linked = np.flatnonzero((before >= 0) & ~poses.cut & ~poses.hidden & ~poses.hidden[before])
    width, height = spans(audit.rules, played)[poses.actor[linked]].T  # of places that are one the nearest
    steps = np.hypot(
        shorter(poses.x[linked] - poses.x[before[linked]], width),
        shorter(poses.y[linked] - poses.y[before[linked]], height),
    )
    kinds = audit.kinds[linked]
    for kind, box, where in audit.boxes("hitbox"):
        of_kind = np.flatnonzero(kinds == catalog.kinds.index(kind.name))
        formed = next(shape for shape in catalog.by_kind[kind.name] if shape.box is box)
        found = thinnest(audit, formed)
        if formed.swept or found is None or not len(of_kind):
            continue
        thick, other = found
        # One frame is enough, so the fastest step of all is tested.
        worst = of_kind[steps[of_kind].argmax()]
        if steps[worst] > thick:
            reason = (
                f"it moves {steps[worst]:.1f} units in frame {poses.frame[linked[worst]]}, and "
                f"{other.kind.name}.{other.name} is {thick:.1f} thick: it may pass through unseen"
            )
            yield audit.finding("tunnels", where, reason, "swept = true")


def thinnest(audit: AuditedBook, formed: FormedBox) -> tuple[float, FormedBox] | None:
    """The thinnest unswept box that a hitbox should meet, and how thick it is; None if it should meet none of a size
    that the rulebook says."""
    catalog = audit.catalog
    others = [
        # A swept box cannot be passed, and a logged one has no thickness in the rulebook.
        box
        for box in catalog.formed
        if box.box.role == "hurtbox" and catalog.meets(formed, box) and not box.swept and not box.box.logged
    ]
    if not others:
        return None
    thick, _, other = min((_thinnest(audit, other), other.number, other) for other in others)
    return thick, other


def _thinnest(audit: AuditedBook, formed: FormedBox) -> float:
    """The least thickness of a box in any of the forms it takes."""
    keyed = [number for table in formed.keyed.values() for number in table]
    return min(thickness(audit.catalog.forms[number]) for number in keyed or [formed.form])


def friends_touch(audit: AuditedBook) -> Iterator[AuditFinding]:
    """Pairs of one side that touch though their hits can never land."""
    if audit.recording is None:
        return
    kinds = {name: actor.kind for name, actor in everyone(audit.rules, audit.recording, audit.ledger).items()}
    seen: dict[tuple[str, str, str], list[int]] = {}
    for event in audit.ledger.of("contact"):
        if event.outcome == "ally":
            key = (kinds[event.attacker or ""], event.hitbox or "", kinds[event.target or ""])
            seen.setdefault(key, []).append(event.frame)
    for (kind, box, target), frames in sorted(seen.items()):
        reason = f"it touches {target} of its own side {len(frames)} times, first in {frames[0]}: always `ally`"
        remedy = "take their layer out of its mask, or make the attack friendly if it should land"
        yield audit.finding("friends-touch", ("kinds", kind, "boxes", box), reason, remedy)


def never_open(audit: AuditedBook) -> Iterator[AuditFinding]:
    """A box that never opens: its clips are shown, but no cell that opens it."""
    played = audit.recording
    if played is None:
        return
    for kind, box, where in audit.boxes():
        if box.during is None:
            continue
        rows = np.flatnonzero(audit.kinds == audit.catalog.kinds.index(kind.name))
        cell = cells(played.poses, rows, kind, played.clips, audit.rules.rate)
        for clip, ranges in box.during.items():
            if clip in played.clips:
                shown = cell[played.poses.clip[rows] == played.clips.index(clip)]
                if len(shown) and not any(((shown >= first) & (shown <= last)).any() for first, last in ranges):
                    reason = (
                        f"the recording shows cells {shown.min()} to {shown.max()} of {clip}, and none of them opens it"
                    )
                    yield audit.finding(
                        "never-open", (*where, "during", clip), reason, "check the cells, and the clip's rate"
                    )


CHECKS: dict[str, Check] = {
    "up-differs": up_differs,
    "clip-unshown": clip_unshown,
    "clip-unknown": clip_unknown,
    "never-open": never_open,
    "tunnels": tunnels,
    "friends-touch": friends_touch,
}
