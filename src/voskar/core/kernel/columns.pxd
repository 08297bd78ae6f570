cimport cython
from libc.stdint cimport int64_t, uint8_t

# as actor_row.ActorRow, which says why in this order
cdef struct ActorFields:
    double x, y, facing, scale, m00, m01, m10, m11
    double before_x, before_y, before_facing, angle, before_m00, before_m01, before_m10, before_m11
    int64_t kind, clip, cell, before_clip, before_cell, tick, before_tick, motion
    int64_t at, played, born, expires, since, hides, away_until, disarmed_until
    double vx, vy
    int64_t before_at, step_at, pose, before_pose
    uint8_t spawned, driven, hidden, lingering, past, flows, homing, sent, returns, fixed
    double sent_vx, sent_vy, turns, step_x, step_y, offset_x, offset_y, near_x, near_y
    double home_x, home_y, home_vx, home_vy, home_facing, home_angle
    int64_t owner, place
    int64_t ends, bounces, entered, clip_since
    int64_t met, tags, opens, before_opens, frozen_since, frozen_until
    double z

ctypedef ActorFields *ActorPointer

cdef extern from *:
    """
    /* The five lines of the cache that every frame asks of an actor are fetched while another one is at work. */
    static inline void voskar_fetch(const void *row) {
    #if defined(__GNUC__) || defined(__clang__)
        const char *line = (const char *) row;
        __builtin_prefetch(line);
        __builtin_prefetch(line + 64);
        __builtin_prefetch(line + 128);
        __builtin_prefetch(line + 192);
        __builtin_prefetch(line + 256);
    #endif
    }
    """
    void fetch "voskar_fetch" (ActorPointer row) noexcept

cdef inline ActorPointer *rows_at(const int64_t[::1] places, object row) noexcept:
    return <ActorPointer *> &places[0]

@cython.final
cdef class ActorColumns:
    cdef ActorPointer *rows
    cdef object memory
    cdef public Py_ssize_t count
    cdef const int64_t[::1] places

@cython.final
cdef class PoseColumns:
    cdef public int64_t first
    cdef public const int64_t[::1] start, actor, shown, clip, tick, tags
    cdef public const double[::1] x, y, angle, scale, z
    cdef public const signed char[::1] facing
    cdef public const uint8_t[::1] cut, hidden, lingering
    cdef public Py_ssize_t shown_step, facing_step, angle_step, scale_step, clip_step, tick_step, cut_step, hidden_step
    cdef public Py_ssize_t lingering_step, tags_step, z_step
