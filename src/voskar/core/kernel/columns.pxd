cimport cython
from libc.stdint cimport int64_t, uint8_t

# as actor_row.ActorRow, which says why in this order
cdef struct ActorFields:
    double x, y, facing, scale, m00, m01, m10, m11
    double before_x, before_y, before_facing, angle, before_m00, before_m01, before_m10, before_m11
    double vx, vy, sent_vx, sent_vy, step_x, step_y, offset_x, offset_y
    double home_x, home_y, home_vx, home_vy, home_facing, home_angle, near_x, near_y
    int64_t kind, clip, cell, at, played, away_until, before_clip, before_cell
    int64_t tick, since, born, expires, hides, motion, before_at, step_at
    int64_t pose, before_pose, owner, place, ends, bounces, before_tick, disarmed_until
    int64_t entered, clip_since
    uint8_t spawned, driven, hidden, lingering, past, flows, homing, sent, returns, fixed

ctypedef ActorFields *ActorPointer

cdef inline ActorPointer *rows_at(const int64_t[::1] places, object row) noexcept:
    return <ActorPointer *> &places[0]

@cython.final
cdef class ActorColumns:
    cdef ActorPointer *rows
    cdef const int64_t[::1] places

@cython.final
cdef class PoseColumns:
    cdef public int64_t first
    cdef public const int64_t[::1] start, actor, shown, clip, tick
    cdef public const double[::1] x, y, facing, angle, scale
    cdef public const uint8_t[::1] cut, hidden, lingering
    cdef public Py_ssize_t facing_step, angle_step, scale_step, clip_step, tick_step, cut_step, hidden_step
    cdef public Py_ssize_t lingering_step
