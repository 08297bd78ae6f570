cimport cython
from libc.stdint cimport int64_t

from voskar.core.kernel.narrow_phase cimport INFINITE
from voskar.core.kernel.placed cimport BoxLog
from voskar.core.kernel.shapes cimport BoxColumns, ShapeColumns

@cython.final
cdef class LoggedForms:
    cdef public ShapeColumns shapes
    cdef public BoxColumns boxes
    cdef public BoxLog log

    @cython.locals(
        log=BoxLog, shapes=ShapeColumns, boxes=BoxColumns, name=int64_t, row=int64_t, at=Py_ssize_t, x0=double, y0=double,
        x1=double, y1=double, grow=double, i=Py_ssize_t, left=bint, whole=double, shape=int64_t,
    )
    cpdef bint lay(
        self, Py_ssize_t form, Py_ssize_t box, int64_t pose, double m00, double m01, double m10, double m11,
        double scale
    ) except -1

    @cython.locals(
        log=BoxLog, boxes=BoxColumns, grow=double, left=double, low=double, right=double, high=double, part=Py_ssize_t,
        first=Py_ssize_t, last=Py_ssize_t, x0=double, y0=double, x1=double, y1=double, radius=double, i=Py_ssize_t,
        at=Py_ssize_t,
    )
    cdef bint lay_parts(
        self, Py_ssize_t form, Py_ssize_t box, Py_ssize_t shape, double m00, double m01, double m10, double m11,
        double scale
    ) except -1

    cpdef int lay_point(self, Py_ssize_t form) except -1

    @cython.locals(shapes=ShapeColumns)
    cdef int begin_form(self, Py_ssize_t form) except -1

    @cython.locals(shapes=ShapeColumns, part=Py_ssize_t)
    cdef int open_part(self, Py_ssize_t form, double radius) except -1

    @cython.locals(
        shapes=ShapeColumns, part=Py_ssize_t, at=Py_ssize_t, edge=Py_ssize_t, whole=double, px=double, py=double
    )
    cdef int add_corner(
        self, Py_ssize_t form, double x, double y, double m00, double m01, double m10, double m11
    ) except -1

    @cython.locals(
        shapes=ShapeColumns, first=Py_ssize_t, last=Py_ssize_t, low_x=double, low_y=double, high_x=double, high_y=double,
        i=Py_ssize_t, px=double, py=double,
    )
    cdef int finish_form(self, Py_ssize_t form) except -1
