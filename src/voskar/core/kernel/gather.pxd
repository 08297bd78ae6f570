cimport cython
from libc.stdint cimport int64_t

@cython.final
cdef class PoseColumns:
    cdef public int64_t[::1] frame, counts, key, clip
    cdef public double[::1] numbers, absent
    cdef public list names, others
    cdef public dict keys, clips
    cdef public Py_ssize_t rows, frames

    @cython.locals(
        names=list, fields=Py_ssize_t, before=list, poses=list, at=Py_ssize_t, name=str, kind=str, owner=str,
        found=tuple, number=object, row=Py_ssize_t, field=Py_ssize_t,
    )
    cpdef object take(self, object frames)
