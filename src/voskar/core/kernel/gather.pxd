cimport cython
from libc.stdint cimport int64_t

cdef extern from *:
    """
    #include <structmember.h>

    /* Where a field stands within a struct's memory: the type's own descriptor of that slot says so. */
    static Py_ssize_t voskar_slot_place(PyObject *type, PyObject *name) {
        PyObject *slot = PyObject_GetAttr(type, name);
        Py_ssize_t place = -1;
        if (slot == NULL) return -1;
        if (Py_TYPE(slot) == &PyMemberDescr_Type && ((PyMemberDescrObject *) slot)->d_member->type == T_OBJECT_EX)
            place = ((PyMemberDescrObject *) slot)->d_member->offset;
        else
            PyErr_SetString(PyExc_TypeError, "expected a struct's field");
        Py_DECREF(slot);
        return place;
    }
    #define voskar_slot_at(told, place) Py_NewRef(*(PyObject **) ((char *) (told) + (place)))
    """
    Py_ssize_t slot_place "voskar_slot_place" (object type, str name) except -1
    object slot_at "voskar_slot_at" (object told, Py_ssize_t place)

cdef object UNSET, Raw

@cython.final
cdef class GatheredPoses:
    cdef public int64_t[::1] frame, counts, key, clip, number_slots
    cdef public double[::1] numbers, default, absent
    cdef public object line, pose
    cdef public list fields, apart_slots, own_slots, line_own_slots, more_slots, others, rows_apart
    cdef public dict keys, clips
    cdef public Py_ssize_t frame_slot, poses_slot
    cdef public Py_ssize_t room, id_slot, kind_slot, owner_slot, clip_slot, rows, frames, told

    @cython.locals(
        room=Py_ssize_t, fields=Py_ssize_t, before=list, poses=object, at=Py_ssize_t, told=Py_ssize_t, name=str,
        kind=str, owner=object, found=tuple, known=Py_ssize_t, row=Py_ssize_t, field=Py_ssize_t, place=Py_ssize_t,
        is_apart=bint, has_more=bint, says_more=bint,
    )
    cpdef object take(self, object frames)

cpdef Py_ssize_t keys_within(object value)

cpdef list beside(object line)

@cython.locals(told=Py_ssize_t, entries=object, field=str, name=str)
cpdef Py_ssize_t keys_beside(object line)

@cython.locals(told=Py_ssize_t, name=str)
cpdef Py_ssize_t keys_told(object line)
