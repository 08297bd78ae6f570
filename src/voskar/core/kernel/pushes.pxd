cimport cython
from libc.stdint cimport int64_t

from voskar.core.kernel.columns cimport ActorColumns, ActorPointer

@cython.final
cdef class Pushes:
    cdef public ActorColumns actors
    cdef readonly Py_ssize_t count
    cdef public int64_t[::1] row, start, over, fade, bounces
    cdef public double[::1] x, y, bounciness

    @cython.locals(k=Py_ssize_t)
    cpdef int add(
        self, Py_ssize_t row, int64_t start, int64_t over, bint fade, double x, double y, int64_t bounces,
        double bounciness,
    ) except -1

    @cython.locals(k=Py_ssize_t, into=double, back=double)
    cdef void bounce(self, Py_ssize_t row, double nx, double ny) noexcept

    @cython.locals(kept=Py_ssize_t, k=Py_ssize_t)
    cpdef void stop(self, Py_ssize_t row) noexcept

    @cython.locals(k=Py_ssize_t)
    cpdef void delay(self, Py_ssize_t row, int64_t extra) noexcept

    cdef void keep(self, Py_ssize_t k, Py_ssize_t place) noexcept

    @cython.locals(
        actor=ActorPointer, kept=Py_ssize_t, k=Py_ssize_t, row=int64_t, index=int64_t, over=int64_t, share=double,
        x=double, y=double,
    )
    cdef void step(self, int64_t frame) noexcept
