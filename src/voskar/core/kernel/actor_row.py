"""The kernel's data of one actor, as a struct in memory."""

from __future__ import annotations

import ctypes
from typing import Any, TypeAlias

Flag: TypeAlias = int
"""A truth, as a byte."""


class ActorRow(ctypes.Structure):
    """The kernel's data of an actor, as it stands in memory; the `.pxd` of the columns declares it for C.

    Eight values are a line of the cache. What every frame asks of everyone fills the first five: how much memory is
    gone through decides the pace of a swarm. Uncompiled, the kernel reads and writes these very objects. What each
    field is, `ActorTable` says.
    """

    x: float
    y: float
    facing: float
    scale: float
    m00: float
    m01: float
    m10: float
    m11: float
    before_x: float
    before_y: float
    before_facing: float
    angle: float
    before_m00: float
    before_m01: float
    before_m10: float
    before_m11: float
    kind: int
    clip: int
    cell: int
    before_clip: int
    before_cell: int
    tick: int
    before_tick: int
    motion: int
    at: int
    played: int
    born: int
    expires: int
    since: int
    hides: int
    away_until: int
    disarmed_until: int
    vx: float
    vy: float
    before_at: int
    step_at: int
    pose: int
    before_pose: int
    spawned: Flag
    driven: Flag
    hidden: Flag
    lingering: Flag
    past: Flag
    flows: Flag
    homing: Flag
    sent: Flag
    returns: Flag
    fixed: Flag
    sent_vx: float
    sent_vy: float
    turns: float
    step_x: float
    step_y: float
    offset_x: float
    offset_y: float
    near_x: float
    near_y: float
    home_x: float
    home_y: float
    home_vx: float
    home_vy: float
    home_facing: float
    home_angle: float
    owner: int
    place: int
    ends: int
    bounces: int
    entered: int
    clip_since: int
    met: int
    tags: int
    opens: int
    before_opens: int
    frozen_since: int
    frozen_until: int
    z: float


DTYPES: dict[str, Any] = {"float": ctypes.c_double, "int": ctypes.c_int64, "Flag": ctypes.c_uint8}
ActorRow._fields_ = [(name, DTYPES[dtype]) for name, dtype in ActorRow.__annotations__.items()]
