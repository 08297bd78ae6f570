cimport cython
from libc.math cimport cos, fmod, sin, sqrt
from libc.stdint cimport int64_t

from voskar.core.kernel.columns cimport ActorColumns, ActorPointer
from voskar.core.kernel.narrow_phase cimport INFINITE, NarrowPhase
from voskar.core.kernel.laying cimport LoggedForms
from voskar.core.kernel.placed cimport PlacedBoxes
from voskar.core.kernel.shapes cimport BoxColumns, ShapeColumns

cdef double DEGREE
cdef int ALL, HITS, HURTS
cdef int64_t FOREVER, CLOSED, ABSENT

@cython.final
cdef class Placing:
    cdef public ActorColumns actors
    cdef public ShapeColumns shapes
    cdef public BoxColumns boxes
    cdef public LoggedForms logged
    cdef public PlacedBoxes hits, hurts
    cdef public double low_x, low_y, high_x, high_y
    cdef public double left, top, right, bottom, width, height, tolerance
    cdef public int64_t frame
    cdef public bint freezes
    cdef public Py_ssize_t used, first_spare
    cdef public int64_t[::1] opened, swing_start

    @cython.locals(at=Py_ssize_t)
    cpdef int forget(self, Py_ssize_t row) except -1

    @cython.locals(
        shapes=ShapeColumns, low_x=double, low_y=double, high_x=double, high_y=double, part=Py_ssize_t, i=Py_ssize_t,
        r=double, px=double, py=double,
    )
    cdef int uneven_bounds(
        self, Py_ssize_t form, double x, double y, double m00, double m01, double m10, double m11, double scale
    ) except -1

    @cython.locals(
        actor=ActorPointer, boxes=BoxColumns, shapes=ShapeColumns, form=int64_t, x=double, y=double, scale=double,
        m00=double, m01=double, m10=double, m11=double, pose=int64_t,
    )
    cpdef int64_t form_of(self, Py_ssize_t row, Py_ssize_t box, bint before, Py_ssize_t spare) except -2

    @cython.locals(actor=ActorPointer, frame=int64_t, at=Py_ssize_t, goes_on=bint)
    cdef void swings_on(self, Py_ssize_t row, Py_ssize_t box) noexcept

    cdef int check_part(self, Py_ssize_t part, Py_ssize_t row) except -1

    @cython.locals(
        low_x=double, low_y=double, high_x=double, high_y=double, role=int, placed=PlacedBoxes, k=Py_ssize_t,
        count=Py_ssize_t, across=int, along=int, dx=double, dy=double,
    )
    cpdef int copy_across(self, double near) except -1

    @cython.locals(other=Py_ssize_t)
    cdef int copy(self, PlacedBoxes placed, PlacedBoxes onto, Py_ssize_t k, double dx, double dy) except -1

    @cython.locals(actor=ActorPointer, angle=double, scale=double, wide=double, x=double, y=double)
    cpdef void turn(self, Py_ssize_t row) except *

    @cython.locals(shapes=ShapeColumns)
    cpdef int bounds(
        self, Py_ssize_t form, double x, double y, double m00, double m01, double m10, double m11, double r
    ) except -1

    @cython.locals(
        shapes=ShapeColumns, low_x=double, low_y=double, high_x=double, high_y=double, first=Py_ssize_t, i=Py_ssize_t,
        px=double, py=double,
    )
    cdef int even_bounds(
        self, Py_ssize_t form, double x, double y, double m00, double m01, double m10, double m11, double r
    ) except -1

    cpdef void clear(self) noexcept

    @cython.locals(
        actor=ActorPointer, boxes=BoxColumns, shapes=ShapeColumns, kind=Py_ssize_t, clip=int64_t, cell=int64_t, x=double,
        y=double, m00=double, m01=double, m10=double, m11=double, scale=double, disarmed=int64_t, i=Py_ssize_t,
        box=Py_ssize_t, form=int64_t, placed=PlacedBoxes, k=Py_ssize_t, dx=double, dy=double, old=int64_t, ax=double,
        ay=double, bx=double, by=double, low=double, high=double, opens=int64_t, condition=int64_t, frozen=bint,
    )
    cpdef int place(self, Py_ssize_t row, int roles) except -1

    @cython.locals(swings=Py_ssize_t)
    cpdef int64_t swing_began(self, Py_ssize_t row, Py_ssize_t swing) except? -1

    @cython.locals(
        shapes=ShapeColumns, actor=ActorPointer, first=Py_ssize_t, m00=double, m01=double, m10=double, m11=double,
        x=double, y=double, i=Py_ssize_t, px=double, py=double,
    )
    cpdef int corners_a(self, NarrowPhase narrow, Py_ssize_t part, Py_ssize_t row, double dx, double dy) except -1

    @cython.locals(
        shapes=ShapeColumns, actor=ActorPointer, first=Py_ssize_t, m00=double, m01=double, m10=double, m11=double,
        x=double, y=double, i=Py_ssize_t, px=double, py=double,
    )
    cpdef int corners_b(self, NarrowPhase narrow, Py_ssize_t part, Py_ssize_t row, double dx, double dy) except -1
