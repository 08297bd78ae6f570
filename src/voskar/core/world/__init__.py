"""The world: the actors, their states, and the few verbs that change them."""

from __future__ import annotations

from voskar.core.world.state import NEVER, ActorState, Birth, Gun, Poison, Regenerating, RunState, VerbCall
from voskar.core.world.world import World

__all__ = ["NEVER", "ActorState", "Birth", "Gun", "Poison", "Regenerating", "RunState", "VerbCall", "World"]
