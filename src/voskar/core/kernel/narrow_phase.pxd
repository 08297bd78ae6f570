cimport cython
from libc.math cimport sqrt

cdef double INFINITE, ROUNDING

@cython.final
cdef class NarrowPhase:
    cdef public double[::1] ax, ay, bx, by
    cdef double[::1] _kx, _ky, _cx, _cy, _pace, _low, _high
    cdef readonly Py_ssize_t na, nb
    cdef Py_ssize_t _sides
    cdef double axis_x, axis_y, low_a, high_a, low_b, high_b
    cdef double on_ax, on_ay, on_bx, on_by, begin, end
    cdef public double upwards, point_x, point_y, normal_x, normal_y

    @cython.locals(n=Py_ssize_t, first=Py_ssize_t, second=Py_ssize_t, dx=double, dy=double, length=double)
    cdef bint set_axis(self, bint of_a, Py_ssize_t index) noexcept

    @cython.locals(x=double, y=double, low=double, high=double, value=double, i=Py_ssize_t)
    cdef void project(self) noexcept

    @cython.locals(result=double, apart=double, other=double, side=int, n=Py_ssize_t, index=Py_ssize_t)
    cdef int check_room(self) except -1

    cpdef double separation(self, double enough) noexcept

    @cython.locals(
        best=double, side=int, corners=Py_ssize_t, sides=Py_ssize_t, i=Py_ssize_t, j=Py_ssize_t, k=Py_ssize_t,
        px=double, py=double, x0=double, y0=double, x1=double, y1=double, dx=double, dy=double, square=double,
        along=double, qx=double, qy=double, away=double,
    )
    cpdef double closest(self) noexcept

    @cython.locals(apart=double)
    cpdef double gap(self, double radii) noexcept

    @cython.locals(apart=double)
    cpdef bint touches(self, double radii, double slack) noexcept

    @cython.locals(begin=double, end=double)
    cpdef double time_of_impact(self, double radii, double move_x, double move_y, double slack) noexcept

    @cython.locals(begin=double, end=double)
    cdef void within(self, double distance, double move_x, double move_y) noexcept

    @cython.locals(
        begin=double, end=double, known=Py_ssize_t, side=int, n=Py_ssize_t, index=Py_ssize_t, pace=double, low=double,
        high=double, enter=double, leave=double,
    )
    cdef void between_sides(self, double distance, double move_x, double move_y) noexcept

    @cython.locals(k=Py_ssize_t)
    cdef void know_side(self, bint of_a, Py_ssize_t index, double move_x, double move_y) noexcept

    @cython.locals(
        best_begin=double, best_end=double, corners=Py_ssize_t, sides=Py_ssize_t, square=double, i=Py_ssize_t,
        px=double, py=double, j=Py_ssize_t, k=Py_ssize_t, x0=double, y0=double, dx=double, dy=double, ox=double,
        oy=double, begin=double, end=double, along=double, rest=double, root=double, length=double, ux=double,
        uy=double, first=double, last=double, turn=int, place=double, pace=double, low=double, high=double,
        enter=double, leave=double,
    )
    cdef void past_edges(self, bint of_a, double distance, double move_x, double move_y) noexcept
