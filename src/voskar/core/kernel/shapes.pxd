cimport cython
from libc.stdint cimport int64_t, uint8_t

@cython.final
cdef class ShapeColumns:
    cdef public object _forms, _upright, _room
    cdef public const int64_t[::1] part_start, vertex_start, hull_start
    cdef public int64_t[::1] part_end, vertex_end, hull_end
    cdef public double[::1] vertex_x, vertex_y, hull_x, hull_y, low_x, low_y, high_x, high_y
    cdef public double[::1] radius, part_radius, anchor_x, anchor_y
    cdef public uint8_t[::1] upright, uneven
    cdef public Py_ssize_t most_corners, most_parts, own, spare

@cython.final
cdef class BoxColumns:
    cdef public Py_ssize_t boxes, kinds, clips, swings, tag_sets
    cdef public bint any_wraps, any_conditions, any_depth, any_clashes
    cdef public const int64_t[::1] kind_start, kind_box, body_start, body_box, swept, always
    cdef public const int64_t[::1] run_start, run_end, run_cell, run_form, mask, logged, swing, condition
    cdef public const int64_t[::1] tag_bits
    cdef public const double[::1] grow, pad, near_z, far_z
    cdef public const uint8_t[::1] is_hit, spares_owner, meets, within, special, wraps, clashes, deep

    @cython.locals(form=int64_t, entry=Py_ssize_t, low=int64_t, high=int64_t, middle=int64_t)
    cpdef int64_t form_of(self, Py_ssize_t box, Py_ssize_t clip, int64_t cell) except -2

cdef int64_t NARROW

@cython.locals(result=int64_t, over=int64_t, bit=int)
cpdef int64_t share(int64_t tick, int64_t rest, int64_t whole) noexcept

@cython.final
cdef class ClipColumns:
    cdef public Py_ssize_t kinds, clips
    cdef public const int64_t[::1] cells, whole, rest, denominator
    cdef public const uint8_t[::1] loops

    @cython.locals(entry=Py_ssize_t, cells=int64_t, cell=int64_t)
    cpdef int64_t cell_of(self, Py_ssize_t kind, Py_ssize_t clip, int64_t tick) except -2
