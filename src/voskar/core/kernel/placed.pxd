cimport cython
from libc.stdint cimport int64_t, uint8_t

@cython.final
cdef class PlacedBoxes:
    cdef readonly Py_ssize_t count, room
    cdef public int64_t[::1] actor, box, form, swept, order
    cdef public double[::1] low_x, low_y, high_x, high_y, way_low_x, way_low_y, way_high_x, way_high_y
    cdef public double[::1] shift_x, shift_y, over_x, over_y

@cython.final
cdef class BoxLog:
    cdef public const int64_t[::1] row, shape, part_start, corner_start
    cdef public const double[::1] bounds, corners, radius
    cdef public const uint8_t[::1] is_rect
    cdef public Py_ssize_t step, names
