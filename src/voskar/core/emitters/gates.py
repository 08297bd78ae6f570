"""Gates of emitters, in the order in which they are asked: the first that stops names the denial."""

from __future__ import annotations

import msgspec

from voskar.core.asking import holds, words
from voskar.core.gate import Gate, GateAnswer
from voskar.core.rules import ActorCondition, Emitter
from voskar.core.world import NEVER, ActorState, World


class Pull(msgspec.Struct, frozen=True, gc=False):
    """An owner that is there, and one of its emitters, in this frame: the state that decides whether it may fire.

    `last` is the frame in which it fired last.
    """

    world: World
    owner: ActorState
    emitter: Emitter
    last: int = NEVER

    @property
    def present(self) -> int:
        """How many of its own are there.

        Its own are those of its limit group. Where the recording shows such actors, those recorded ones of that kind
        and owner that were there in the frame before too, and that no other emitter is known to have fired: one that
        first appears in a frame is the one being fired. A shot that only lingers does not count.
        """
        world, row, counted = self.world, self.owner.row, self.emitter.counted_as
        emitters = [gun for gun in self.owner.kind.emitters if gun.counted_as == counted]
        names = {gun.name for gun in emitters}
        shown = {gun.fan.kind for gun in emitters if gun.fan.kind in world.shown_kinds}
        count = world.guns.get((row, counted), 0)
        if shown:
            table, frame, lingers = world.table, world.frame, world.recording.poses.lingering
            for other in world.kernel.recorded():
                own = world.state(other).kind.logged_kind in shown and table.owner[other] == row
                own = own and world.state(other).origins is None  # a reflected one counts under no actor's limit
                name = world.fired_by.get((table.entered[other], other), self.emitter.name) if own else ""
                there = table.before_at[other] == frame - 1 and not lingers[table.before_pose[other]]
                # The shot that is being fired is in the log already and must not count against itself.
                count += name in names and there and not lingers[table.pose[other]]
        return count


def _hidden(pull: Pull) -> GateAnswer:
    hidden = bool(pull.world.table.hidden[pull.owner.row])
    return GateAnswer(hidden, f"{pull.owner.id} is hidden in this frame" if hidden else "not hidden")


def _down(pull: Pull) -> GateAnswer:
    down = pull.owner.down
    return GateAnswer(down is not None, "not down" if down is None else f"{pull.owner.id} has been down since {down}")


def _consumed(pull: Pull) -> GateAnswer:
    owner, frame = pull.owner, pull.world.frame
    if owner.consumed is None or frame >= owner.gone_until:
        return GateAnswer(False, "not consumed")
    last = pull.world.recording.last
    back = f"is back in {owner.gone_until}" if owner.gone_until <= last else "does not come back"
    return GateAnswer(True, f"{owner.id} was consumed in {owner.consumed} and {back}")


def _frozen(pull: Pull) -> GateAnswer:
    until = pull.world.table.frozen_until[pull.owner.row]
    frozen = pull.world.is_frozen(pull.owner)
    return GateAnswer(frozen, f"frozen until {until}" if frozen else "not frozen")


def _stunned(pull: Pull) -> GateAnswer:
    until = pull.owner.stunned_until
    stunned = pull.world.frame <= until
    return GateAnswer(stunned, f"stunned until {until}" if stunned else "not stunned")


def _cooldown(pull: Pull) -> GateAnswer:
    cooldown, frame = pull.emitter.cooldown, pull.world.frame
    if not cooldown:
        return GateAnswer(False, "no cooldown")
    if pull.last == NEVER:
        return GateAnswer(False, f"cooldown of {cooldown} frames, and never fired before")
    ready = pull.last + cooldown
    left = f", {ready - frame} frames from here" if ready > frame else ""
    return GateAnswer(frame < ready, f"fired last in {pull.last}, ready in {ready}{left}")


def _limit(pull: Pull) -> GateAnswer:
    limit, count = pull.emitter.limit, pull.emitter.fan.count
    if limit is None:
        return GateAnswer(False, "no limit")
    present = pull.present
    whose = "its own" if pull.emitter.limit_group is None else f'the group "{pull.emitter.limit_group}"'
    text = f"{present} of {whose} there, {count} more would make {present + count}, limit {limit}"
    return GateAnswer(present + count > limit, text)


def _within_limit(pull: Pull) -> bool:
    limit = pull.emitter.limit
    return limit is not None and pull.present + pull.emitter.fan.count > limit


def _condition(pull: Pull) -> GateAnswer:
    condition = pull.emitter.if_
    text = words(pull.world, pull.owner, condition) or "it asks for nothing"
    return GateAnswer(not holds(pull.world, pull.owner, condition), text)


NOTHING = ActorCondition()
SILENT = ("unmet",)
"""Gates that are no denial: another emitter is to fire instead."""
GATES: tuple[Gate[Pull], ...] = (
    Gate(
        "unmet",
        "",
        "",
        lambda pull: pull.emitter.if_ != NOTHING and not holds(pull.world, pull.owner, pull.emitter.if_),
        _condition,
        reads=(("counters", "owner"), ("health", "owner"), ("stun", "owner"), ("iframes", "owner")),
    ),
    Gate("hidden", "", "", lambda pull: bool(pull.world.table.hidden[pull.owner.row]), _hidden),
    Gate("down", "", "", lambda pull: pull.owner.down is not None, _down, reads=(("presence", "owner"),)),
    Gate(
        "consumed",
        "",
        "",
        lambda pull: pull.owner.consumed is not None and pull.world.frame < pull.owner.gone_until,
        _consumed,
        reads=(("presence", "owner"),),
    ),
    Gate("frozen", "", "", lambda pull: pull.world.is_frozen(pull.owner), _frozen, reads=(("stun", "owner"),)),
    Gate(
        "stunned",
        "",
        "",
        lambda pull: pull.world.frame <= pull.owner.stunned_until,
        _stunned,
        reads=(("stun", "owner"),),
    ),
    Gate(
        "cooldown",
        "",
        "",
        # a freeze puts off the last shot too, which without a cooldown says nothing
        lambda pull: pull.emitter.cooldown > 0 and pull.world.frame < pull.last + pull.emitter.cooldown,
        _cooldown,
        reads=(("emitter", "emitter"),),
    ),
    Gate("limit", "", "", _within_limit, _limit, reads=(("emitter", "emitter"), ("emitter", "owner"))),
)
