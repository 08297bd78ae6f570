"""What the kernel knows of one actor, as a struct in memory."""

from __future__ import annotations

import ctypes
from typing import Any, TypeAlias

Flag: TypeAlias = int
"""A truth, as a byte."""


class ActorRow(ctypes.Structure):
    """What the kernel knows of an actor, as it stands in memory; the `.pxd` of the columns declares it for C.

    Eight values are a line of the cache: those that a frame asks for together stand together. Uncompiled, the kernel
    reads and writes these very objects. What each field is, `ActorTable` says.
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
    vx: float
    vy: float
    sent_vx: float
    sent_vy: float
    step_x: float
    step_y: float
    offset_x: float
    offset_y: float
    home_x: float
    home_y: float
    home_vx: float
    home_vy: float
    home_facing: float
    home_angle: float
    near_x: float
    near_y: float
    kind: int
    clip: int
    cell: int
    at: int
    played: int
    away_until: int
    before_clip: int
    before_cell: int
    tick: int
    since: int
    born: int
    expires: int
    hides: int
    motion: int
    before_at: int
    step_at: int
    pose: int
    before_pose: int
    owner: int
    place: int
    ends: int
    bounces: int
    before_tick: int
    disarmed_until: int
    entered: int
    clip_since: int
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


SORTS: dict[str, Any] = {"float": ctypes.c_double, "int": ctypes.c_int64, "Flag": ctypes.c_uint8}
ActorRow._fields_ = [(name, SORTS[sort]) for name, sort in ActorRow.__annotations__.items()]
