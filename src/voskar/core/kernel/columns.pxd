cimport cython
from libc.stdint cimport int64_t, uint8_t

@cython.final
cdef class ActorColumns:
    cdef public double[:] x, y, facing, angle, scale, m00, m01, m10, m11
    cdef public double[:] before_x, before_y, before_facing, before_m00, before_m01, before_m10, before_m11
    cdef public double[:] vx, vy, sent_vx, sent_vy, step_x, step_y, offset_x, offset_y
    cdef public double[:] near_x, near_y
    cdef public double[:] home_x, home_y, home_vx, home_vy, home_facing, home_angle
    cdef public int64_t[:] kind, owner, pose, clip, tick, cell, before_pose, before_clip, before_cell
    cdef public int64_t[:] at, before_at, step_at, played, away_until, born, since, expires, ends, hides
    cdef public int64_t[:] motion, bounces, place, before_tick, disarmed_until, entered, clip_since
    cdef public uint8_t[:] spawned, driven, hidden, lingering, past, flows, homing, sent, returns, fixed

@cython.final
cdef class PoseColumns:
    cdef public int64_t first
    cdef public const int64_t[::1] start, actor, shown, clip, tick
    cdef public const double[::1] x, y, facing, angle, scale
    cdef public const uint8_t[::1] cut, hidden, lingering
    cdef public Py_ssize_t facing_step, angle_step, scale_step, clip_step, tick_step, cut_step, hidden_step
    cdef public Py_ssize_t lingering_step
