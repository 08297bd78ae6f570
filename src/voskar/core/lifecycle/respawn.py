"""Returns: what holds an actor that is due, and how it is in play again."""

from __future__ import annotations

from collections.abc import Callable

from voskar.core import counting
from voskar.core.immunity import immunise
from voskar.core.judging.contact import Contact
from voskar.core.judging.gates import ally
from voskar.core.judging.memory import Memory
from voskar.core.latching import latch
from voskar.core.ledger import events
from voskar.core.lifecycle.down import take_life
from voskar.core.lifecycle.due import place, rule_of, try_from
from voskar.core.world import ActorState, World


class Returns:
    """Brings back actors that are due. `angles` are the angles that driven actors first had; `start_over` puts back the
    room or the run, as the rule of a returning actor may say, and `armed` is called with every actor that is in play
    again."""

    def __init__(
        self,
        world: World,
        memory: Memory,
        armed: Callable[[ActorState], None],
        start_over: Callable[[ActorState, bool], None],
    ) -> None:
        self.world, self.memory = world, memory
        self.armed, self.start_over = armed, start_over

    def bring_back(self) -> None:
        """Respawns the actors that are due in this frame, by id; actors that have to wait are tried again."""
        world = self.world
        due = [row for row, frame in world.run.due.items() if frame == world.frame]
        latched = False
        for row in sorted(due, key=lambda row: world.state(row).id):
            if world.run.due.get(row) != world.frame:
                continue  # the return of another one has placed it again, or it has left
            state, attacker = world.state(row), None
            if rule_of(state).if_unsafe == "wait":
                if not latched:  # a returned actor meets other conditions
                    latch(world, world.frame)
                latched = True
                attacker = self._in_the_way(state)
            if attacker is not None:
                self._hold(state, attacker)
            elif self._is_there(state):
                self._come_back(state)
                latched = False
            else:
                try_from(world, state, world.frame + 1, safe=True)

    def _is_there(self, state: ActorState) -> bool:
        """Whether the game shows it in this frame."""
        world = self.world
        return state.driven or (world.is_present(state.row) and not world.table.lingering[state.row])

    def _in_the_way(self, state: ActorState) -> str | None:
        """The id of an actor that would hit and harm the returning one, None if there is none.

        Layers, sides and owners decide what could land; i-frames, rehit and the conditions of an attack do not, as
        they pass. An actor without a pose is tested with its next pose. Spawns of this frame come after the returns,
        even if the game shows them.
        """
        world, table, row = self.world, self.world.table, state.row
        names = ("x", "y", "facing", "angle", "scale", "m00", "m01", "m10", "m11", "clip", "tick", "cell", "pose",
                 "past", "hidden", "tags", "z")  # fmt: skip
        kept = {name: getattr(table, name)[row] for name in names}
        table.x[row], table.y[row] = place(world, state)
        table.past[row] = table.hidden[row] = 0
        if state.driven:
            table.facing[row], table.angle[row] = table.home_facing[row], table.home_angle[row]
            table.tick[row], table.cell[row] = 0, world.first_cell(row)
            world.placing.turn(row)
        elif not self._is_there(state):
            self._look_ahead(state)
        slack, clearance = world.finder.slack, rule_of(state).clearance
        if clearance:
            # boxes within the clearance count as touching
            world.finder.slack = -clearance
        world.probe(row)
        world.finder.slack = slack
        formed = world.catalog.formed
        found = []
        for attacker, hit, target, hurt, _, _ in world.touches():
            if target != row or formed[hurt].box.role == "hitbox":
                continue
            contact = Contact.asked(world, self.memory, attacker, formed[hit], row, formed[hurt])
            if contact.attack.harms and not ally.stops(contact) and not self._is_born(contact.attacker):
                found.append(contact.attacker.id)
        # the probe has moved only a row of the table: everything is put back as it was
        for name, value in kept.items():
            getattr(table, name)[row] = value
        return min(found, default=None)

    def _is_born(self, state: ActorState) -> bool:
        """Whether a recorded actor that something spawns appears in this frame."""
        world = self.world
        is_spawned = not state.driven and state.kind.logged_kind in world.rules.spawned
        return is_spawned and world.table.before_at[state.row] < world.frame - 1

    def _look_ahead(self, state: ActorState) -> None:
        """Gives it the look of its next pose."""
        world, table, row = self.world, self.world.table, state.row
        poses, pose = world.recording.poses, world.recording.poses.logged_from(state.row, world.frame)
        assert pose is not None
        table.facing[row], table.angle[row] = float(poses.facing[pose]), float(poses.angle[pose])
        table.scale[row], table.pose[row], table.tags[row] = float(poses.scale[pose]), pose, int(poses.tags[pose])
        table.clip[row], table.cell[row], table.z[row] = (
            int(poses.clip[pose]), int(world.shown[pose]), float(poses.z[pose]),
        )  # fmt: skip
        world.placing.turn(row)

    def _hold(self, state: ActorState, attacker: str) -> None:
        """It waits, for now."""
        world = self.world
        if not state.held:
            state.held = True
            world.events.append(events.RespawnHeldEvent(frame=world.frame, id=state.id, detail=attacker))
        try_from(world, state, world.frame + 1)

    def take_back(self, state: ActorState) -> None:
        """Brings an actor back that is down in this frame, whenever it was due; by its rule, if its kind has one."""
        if state.kind.respawn is not None:
            self._come_back(state)
            return
        world = self.world
        x, y = world.position(state.row)
        world.run.stays_in(state)
        world.run.recheck = True
        self.memory.forget(state.row)
        take_life(world, state)
        state.revive()
        world.let_in(state)
        world.jump(state)
        counting.come_back(world, state)
        world.events.append(events.RespawnEvent(frame=world.frame, id=state.id, x=x, y=y))
        self.armed(state)

    def _come_back(self, state: ActorState) -> None:
        """In play again from this frame on."""
        world, respawn = self.world, rule_of(state)
        world.run.due.pop(state.row, None)
        world.run.stays_in(state)
        world.run.recheck = True  # it may be out of play, and wait no longer
        x, y = place(world, state)
        # looked up before the reset, which may remove it
        killer = world.find(state.credit)
        began = None if killer is None else world.origins.get(killer.row)
        if began is not None and state.down is not None and began[0] > state.down:
            killer = None  # its id is another one's by now
        self.memory.forget(state.row)
        take_life(world, state)
        state.revive()
        world.let_in(state)
        counting.come_back(world, state)
        world.events.append(events.RespawnEvent(frame=world.frame, id=state.id, x=x, y=y))
        immunise(world, state, world.frame, respawn.iframes - 1, "respawn")
        if respawn.resets == "pair" and killer is not None and killer.down is None and not self._is_consumed(killer):
            home = world.bring_home(killer)
            world.events.append(events.HomeEvent(frame=world.frame, id=killer.id, x=home[0], y=home[1]))
        # after the event of the return, as the reset is a consequence of it
        if respawn.resets in ("room", "run"):
            self.start_over(state, respawn.resets == "run")
        if state.driven:
            world.stand_up(state, x, y)
        else:
            world.put(state, x, y)
        self.armed(state)

    def _is_consumed(self, state: ActorState) -> bool:
        return state.consumed is not None and self.world.frame < state.gone_until
