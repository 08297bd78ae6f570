cimport cython
from libc.math cimport cos, fmod, sin
from libc.stdint cimport int64_t

from voskar.core.kernel.columns cimport ActorColumns
from voskar.core.kernel.narrow_phase cimport NarrowPhase
from voskar.core.kernel.shapes cimport BoxTable, ShapeTable

cdef double DEGREE
cdef int ALL, HITS, HURTS

@cython.final
cdef class PlacedBoxes:
    cdef public Py_ssize_t count, room
    cdef public int64_t[::1] actor, box, form, swept, order
    cdef public double[::1] low_x, low_y, high_x, high_y, way_low_x, way_low_y, way_high_x, way_high_y
    cdef public double[::1] shift_x, shift_y

@cython.final
cdef class Placing:
    cdef public ActorColumns actors
    cdef public ShapeTable shapes
    cdef public BoxTable boxes
    cdef public PlacedBoxes hits, hurts
    cdef public double low_x, low_y, high_x, high_y

    @cython.locals(actors=ActorColumns, angle=double, scale=double, wide=double, x=double, y=double)
    cpdef void turn(self, Py_ssize_t row) noexcept

    @cython.locals(
        shapes=ShapeTable, low_x=double, low_y=double, high_x=double, high_y=double, first=Py_ssize_t, i=Py_ssize_t,
        px=double, py=double,
    )
    cpdef void bounds(
        self, Py_ssize_t form, double x, double y, double m00, double m01, double m10, double m11, double r
    ) noexcept

    cpdef void clear(self) noexcept

    @cython.locals(
        actors=ActorColumns, boxes=BoxTable, shapes=ShapeTable, kind=Py_ssize_t, clip=int64_t, cell=int64_t, x=double,
        y=double, m00=double, m01=double, m10=double, m11=double, scale=double, i=Py_ssize_t, box=Py_ssize_t,
        form=int64_t, placed=PlacedBoxes, k=Py_ssize_t, swept=int64_t, dx=double, dy=double, old=int64_t, ax=double,
        ay=double, bx=double, by=double, low=double, high=double,
    )
    cpdef void place(self, Py_ssize_t row, int roles) noexcept

    @cython.locals(
        shapes=ShapeTable, actors=ActorColumns, first=Py_ssize_t, m00=double, m01=double, m10=double, m11=double,
        x=double, y=double, i=Py_ssize_t, px=double, py=double,
    )
    cpdef void corners_a(self, NarrowPhase narrow, Py_ssize_t part, Py_ssize_t row, double dx, double dy) noexcept

    @cython.locals(
        shapes=ShapeTable, actors=ActorColumns, first=Py_ssize_t, m00=double, m01=double, m10=double, m11=double,
        x=double, y=double, i=Py_ssize_t, px=double, py=double,
    )
    cpdef void corners_b(self, NarrowPhase narrow, Py_ssize_t part, Py_ssize_t row, double dx, double dy) noexcept
