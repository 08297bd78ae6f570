cimport cython
from libc.math cimport floor, sqrt
from libc.stdint cimport int64_t

from voskar.core.kernel.columns cimport ActorColumns, ActorPointer
from voskar.core.kernel.meeting cimport surface_normal
from voskar.core.kernel.narrow_phase cimport INFINITE, NarrowPhase
from voskar.core.kernel.placing cimport Placing
from voskar.core.kernel.pushes cimport Pushes
from voskar.core.kernel.shapes cimport BoxColumns, ClipColumns

cdef int SLIDES, AT_EDGE_REMOVE, AT_EDGE_WRAP, AT_EDGE_BOUNCE, AT_EDGE_STOP
cdef int ON_SOLID_REMOVE, ON_SOLID_BOUNCE, ON_SOLID_TURN, STAYS, GOES_AT_EDGE, GOES_AT_SOLID
cdef double LEVEL
cdef int64_t ANYWHERE, FOREVER

@cython.final
cdef class MotionColumns:
    cdef public double dt, left, top, right, bottom
    cdef public const double[::1] ax, ay, keep, spin, cap, bounciness, solid_x, solid_y
    cdef public const double[::1] solid_low_x, solid_low_y, solid_high_x, solid_high_y
    cdef public const int64_t[::1] edge, solid, bounces, solid_start, solid_layer
    cdef public Py_ssize_t solids, most_corners

@cython.final
cdef class Mover:
    cdef public MotionColumns table
    cdef public Placing placing
    cdef public NarrowPhase narrow
    cdef public ClipColumns clips
    cdef public Pushes pushes
    cdef public ActorColumns actors
    cdef public double tolerance
    cdef public bint jumped, turned
    cdef bint _met
    cdef double _t, _normal_x, _normal_y, _key_t, _key_into, _key_level

    @cython.locals(
        actor=ActorPointer, table=MotionColumns, motion=Py_ssize_t, vx=double, vy=double, cap=double, speed=double,
        way_x=double, way_y=double, leaves=int,
    )
    cpdef int step(self, Py_ssize_t row, double push_x, double push_y) except -1

    @cython.locals(
        actor=ActorPointer, _=int, share=double, nx=double, ny=double, came=int, into=double
    )
    cdef int travel(self, Py_ssize_t row, double way_x, double way_y) except -1

    @cython.locals(
        actor=ActorPointer, table=MotionColumns, motion=Py_ssize_t, rule=int64_t, into=double, kept=double
    )
    cdef int meet_solid(self, Py_ssize_t row, double nx, double ny) except -1

    @cython.locals(
        actor=ActorPointer, placing=Placing, narrow=NarrowPhase, boxes=BoxColumns, kind=Py_ssize_t, first=Py_ssize_t,
        last=Py_ssize_t, clip=int64_t, cell=int64_t, i=Py_ssize_t, box=Py_ssize_t, form=int64_t, radius=double,
        part=Py_ssize_t,
    )
    cdef void first_met(self, Py_ssize_t row, double way_x, double way_y) except *

    @cython.locals(
        table=MotionColumns, narrow=NarrowPhase, tolerance=double, low_x=double, low_y=double, high_x=double,
        high_y=double, i=Py_ssize_t, reach=double, solid=Py_ssize_t, layer=int64_t, first=Py_ssize_t, last=Py_ssize_t,
        t=double, back_x=double, back_y=double, into=double, key_t=double, key_into=double, level=double,
    )
    cdef void against_solids(self, double way_x, double way_y, double radius, int64_t mask) except *

    @cython.locals(
        actor=ActorPointer, table=MotionColumns, motion=Py_ssize_t, place=double, low=double, high=double,
        rule=int64_t, kept=double, inwards=double,
    )
    cdef int meet_edge(self, Py_ssize_t row, bint across) except -1
