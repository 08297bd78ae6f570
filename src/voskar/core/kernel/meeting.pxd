cimport cython

from voskar.core.kernel.narrow_phase cimport INFINITE, NarrowPhase

@cython.locals(
    distance=double, low=double, high=double, share=double, count=Py_ssize_t, x=double, y=double, i=Py_ssize_t
)
cpdef void contact_point(NarrowPhase narrow, double radius_a, double radius_b) noexcept

@cython.locals(
    window_is_a=bint, n=Py_ssize_t, m=Py_ssize_t, i=Py_ssize_t, area=double, j=Py_ssize_t, k=Py_ssize_t,
    count=Py_ssize_t, step=Py_ssize_t, x0=double, y0=double, x1=double, y1=double, clipped=Py_ssize_t,
    after=Py_ssize_t, px=double, py=double, qx=double, qy=double, inside=double, following=double, share=double,
)
cdef Py_ssize_t intersect(NarrowPhase narrow) noexcept

@cython.locals(
    best=double, against=double, nx=double, ny=double, side=int, n=Py_ssize_t, index=Py_ssize_t, turn=int,
    sign=double, apart=double, x=double, y=double, facing=double, level=double, flat=bint, is_better=bint, distance=double,
)
cpdef void surface_normal(NarrowPhase narrow, double move_x, double move_y, double tolerance) noexcept
