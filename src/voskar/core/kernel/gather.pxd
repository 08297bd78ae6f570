cimport cython
from libc.stdint cimport int64_t

cdef object UNSET, astuple

@cython.final
cdef class GatheredPoses:
    cdef public int64_t[::1] frame, counts, key, clip, number_at
    cdef public double[::1] numbers, default, absent
    cdef public list apart_at, others, rows_apart
    cdef public dict keys, clips
    cdef public Py_ssize_t owner_at, clip_at, rows, frames, told

    @cython.locals(
        room=Py_ssize_t, fields=Py_ssize_t, before=list, number=Py_ssize_t, poses=object, at=Py_ssize_t,
        told=Py_ssize_t, values=tuple, name=str, kind=str, owner=object, found=tuple, known=Py_ssize_t, row=Py_ssize_t, field=Py_ssize_t,
        place=Py_ssize_t, is_apart=bint,
    )
    cpdef object take(self, object frames)

@cython.locals(told=Py_ssize_t, entries=object, name=str)
cpdef Py_ssize_t keys_beside(object line)

@cython.locals(told=Py_ssize_t, poses=list, name=str)
cpdef Py_ssize_t keys_told(object line)
