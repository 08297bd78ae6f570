cimport cython
from libc.stdint cimport int64_t

cdef object UNSET

@cython.final
cdef class GatheredPoses:
    cdef public int64_t[::1] frame, counts, told, key, clip
    cdef public double[::1] numbers, default, absent
    cdef public list names, apart, others, rows_apart
    cdef public dict keys, clips
    cdef public Py_ssize_t rows, frames

    @cython.locals(
        names=list, more=list, fields=Py_ssize_t, others=Py_ssize_t, before=list, poses=list, at=Py_ssize_t,
        told=Py_ssize_t, name=str, kind=str, owner=object, found=tuple, number=object, row=Py_ssize_t,
        field=Py_ssize_t, is_apart=bint,
    )
    cpdef object take(self, object frames)

@cython.locals(told=Py_ssize_t, entries=list, name=str)
cpdef Py_ssize_t keys_beside(object line)

@cython.locals(told=Py_ssize_t, poses=list, name=str)
cpdef Py_ssize_t keys_told(object line)
