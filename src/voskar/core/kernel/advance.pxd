cimport cython
from libc.math cimport floor
from libc.stdint cimport int64_t

from voskar.core.kernel.broad_phase cimport TouchFinder
from voskar.core.kernel.columns cimport ActorColumns, ActorPointer, PoseColumns, fetch
from voskar.core.kernel.motion cimport FOREVER, GOES_AT_EDGE, GOES_AT_SOLID, Mover
from voskar.core.kernel.placing cimport ALL, HITS, HURTS, Placing
from voskar.core.kernel.pushes cimport Pushes
from voskar.core.kernel.shapes cimport ClipColumns

cdef Py_ssize_t AHEAD

@cython.final
cdef class Kernel:
    cdef public ActorColumns actors
    cdef public PoseColumns poses
    cdef public Placing placing
    cdef public TouchFinder finder
    cdef public Mover mover
    cdef public ClipColumns clips
    cdef public bint stops_for_leaving
    cdef public bint begun, touched
    cdef public int64_t mark
    cdef readonly int64_t turned
    cdef readonly Py_ssize_t first_row, last_row, count, left, ended
    cdef public Pushes pushes
    cdef public int64_t[::1] alive, left_row, left_frame, left_at_edge, ended_row

    @cython.locals(actor=ActorPointer)
    cpdef int enter(
        self, int64_t frame, Py_ssize_t row, Py_ssize_t kind, int64_t clip, int64_t life, bint spawned, double x,
        double y, double vx, double vy, double angle, double facing, double z,
    ) except -1

    @cython.locals(actor=ActorPointer)
    cpdef int first_move(self, int64_t frame, Py_ssize_t row) except -1

    @cython.locals(place=int64_t, other=int64_t)
    cdef void leave(self, Py_ssize_t row) noexcept

    @cython.locals(k=Py_ssize_t)
    cpdef void discard(self, Py_ssize_t row) except *

    @cython.locals(k=Py_ssize_t, row=int64_t)
    cpdef int begin(self, int64_t frame) except -1

    @cython.locals(
        actors=ActorColumns, placing=Placing, poses=PoseColumns, pose=Py_ssize_t, row=int64_t, actor=ActorPointer,
        x=double, y=double, facing=double, angle=double, scale=double,
    )
    cpdef int load(self, int64_t frame) except -1

    cdef void remember(self, int64_t frame, ActorPointer actor) noexcept

    @cython.locals(placing=Placing, dx=double, dy=double)
    cdef void come_near(self, ActorPointer actor) noexcept

    @cython.locals(actor=ActorPointer)
    cdef int play(self, int64_t frame, Py_ssize_t row) except -1

    @cython.locals(actor=ActorPointer, angle=double, pushed=bint, left=int)
    cdef bint move(self, int64_t frame, Py_ssize_t row) except -1

    @cython.locals(k=Py_ssize_t)
    cdef void gone(self, int64_t frame, Py_ssize_t row, bint at_edge) noexcept

    @cython.locals(actor=ActorPointer)
    cpdef bint is_in_play(self, Py_ssize_t row, int64_t frame) except -1

    @cython.locals(pose=Py_ssize_t)
    cpdef list recorded(self)

    @cython.locals(k=Py_ssize_t)
    cpdef list driven(self)

    @cython.locals(k=Py_ssize_t)
    cpdef list solid_takes(self)

    @cython.locals(k=Py_ssize_t)
    cpdef list take_leavers(self)

    @cython.locals(pose=Py_ssize_t, row=int64_t, k=Py_ssize_t)
    cpdef int touch(self, int64_t frame) except -1

    @cython.locals(pose=Py_ssize_t, other=int64_t, k=Py_ssize_t)
    cpdef int probe(self, int64_t frame, Py_ssize_t row) except -1

    @cython.locals(actor=ActorPointer, dx=double, dy=double)
    cpdef Py_ssize_t follow(
        self, Py_ssize_t row, int64_t frame, const double[::1] x, const double[::1] y, Py_ssize_t at, double slack,
        double growth,
    ) except -1

    cpdef int64_t advance(self, int64_t frame, int64_t until) except? -1
