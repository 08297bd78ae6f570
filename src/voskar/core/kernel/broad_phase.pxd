cimport cython
from libc.stdint cimport int64_t

from voskar.core.kernel.columns cimport ActorColumns, ActorPointer
from voskar.core.kernel.meeting cimport contact_point, surface_normal
from voskar.core.kernel.narrow_phase cimport INFINITE, NarrowPhase
from voskar.core.kernel.placed cimport PlacedBoxes
from voskar.core.kernel.placing cimport Placing
from voskar.core.kernel.shapes cimport BoxColumns, ShapeColumns

cdef int FEW
cdef double WIDE

@cython.final
cdef class TouchFinder:
    cdef public Placing placing
    cdef public NarrowPhase narrow
    cdef public double slack
    cdef readonly Py_ssize_t count, room
    cdef readonly bint overflow
    cdef public int64_t[::1] hit, hurt, hit_part, hurt_part
    cdef public double[::1] t
    cdef double[::1] _keys
    cdef Py_ssize_t _met_part_a, _met_part_b
    cdef double _time

    @cython.locals(hits=PlacedBoxes, hurts=PlacedBoxes, i=Py_ssize_t, j=Py_ssize_t)
    cpdef void find(self) except *

    @cython.locals(
        low_x=double, low_y=double, high_x=double, high_y=double, wide_x=double, wide_y=double, i=Py_ssize_t,
        along_x=bint, limit=double, slim=Py_ssize_t, last=Py_ssize_t, reach=double, key=double, length=double,
        margin=double, j=Py_ssize_t, start=double, stop=double, first=Py_ssize_t, rest=Py_ssize_t,
        half=Py_ssize_t, k=Py_ssize_t,
    )
    cdef int sweep(self, PlacedBoxes few, PlacedBoxes many, bint hits_first) except -1

    @cython.locals(step=Py_ssize_t, i=Py_ssize_t, key=double, own=int64_t, k=Py_ssize_t)
    cdef void sort(self, PlacedBoxes few, Py_ssize_t count) noexcept

    @cython.locals(
        placing=Placing, hits=PlacedBoxes, hurts=PlacedBoxes, boxes=BoxColumns, actors=ActorColumns, hitbox=Py_ssize_t,
        hurtbox=Py_ssize_t, slack=double, attacker=int64_t, target=int64_t, owner=int64_t, k=Py_ssize_t,
    )
    cdef void pair(self, Py_ssize_t i, Py_ssize_t j) except *

    @cython.locals(
        boxes=BoxColumns, actors=ActorColumns, hits=PlacedBoxes, hurts=PlacedBoxes, attacker=ActorPointer,
        target=ActorPointer, hit=int64_t, hurt=int64_t, low=double,
    )
    cdef double depth_gap(self, Py_ssize_t i, Py_ssize_t j) noexcept

    @cython.locals(
        placing=Placing, narrow=NarrowPhase, slack=double, hits=PlacedBoxes, hurts=PlacedBoxes, shapes=ShapeColumns,
        actors=ActorColumns, form_a=Py_ssize_t, form_b=Py_ssize_t, row_a=Py_ssize_t, row_b=Py_ssize_t,
        first_a=Py_ssize_t, last_a=Py_ssize_t, first_b=Py_ssize_t, last_b=Py_ssize_t, square_a=bint, radii=double,
        a=Py_ssize_t, b=Py_ssize_t,
    )
    cdef bint meet(self, Py_ssize_t i, Py_ssize_t j) except -1

    @cython.locals(
        placing=Placing, narrow=NarrowPhase, hits=PlacedBoxes, hurts=PlacedBoxes, shapes=ShapeColumns,
        actors=ActorColumns, form_a=Py_ssize_t, form_b=Py_ssize_t, row_a=Py_ssize_t, row_b=Py_ssize_t,
        first_a=Py_ssize_t, last_a=Py_ssize_t, first_b=Py_ssize_t, last_b=Py_ssize_t, radii=double, move_x=double,
        move_y=double, a=Py_ssize_t, b=Py_ssize_t, time=double,
    )
    cdef bint meet_on_way(self, Py_ssize_t i, Py_ssize_t j) except -1

    @cython.locals(hits=PlacedBoxes, hurts=PlacedBoxes, found=list, k=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t)
    cpdef list touches(self)

    @cython.locals(
        hits=PlacedBoxes, hurts=PlacedBoxes, kept=Py_ssize_t, k=Py_ssize_t, same=Py_ssize_t, i=Py_ssize_t,
        j=Py_ssize_t, other=Py_ssize_t, a=Py_ssize_t, b=Py_ssize_t, far=double, near=double, x=double, y=double, u=double,
        v=double, nearer=bint,
    )
    cdef void merge(self) noexcept

    cdef void keep(self, Py_ssize_t k, Py_ssize_t place) noexcept

    @cython.locals(
        placing=Placing, narrow=NarrowPhase, hits=PlacedBoxes, hurts=PlacedBoxes, i=Py_ssize_t, j=Py_ssize_t,
        late=double, dx=double, dy=double,
    )
    cpdef int stand(self, Py_ssize_t k) except -1

    @cython.locals(
        hits=PlacedBoxes, hurts=PlacedBoxes, i=Py_ssize_t, j=Py_ssize_t, move_x=double, move_y=double,
    )
    cpdef int contact_normal(self, Py_ssize_t k) except -1

    @cython.locals(
        narrow=NarrowPhase, shapes=ShapeColumns, actors=ActorColumns, hits=PlacedBoxes, hurts=PlacedBoxes, i=Py_ssize_t,
        j=Py_ssize_t,
    )
    cpdef int contact_point(self, Py_ssize_t k) except -1
