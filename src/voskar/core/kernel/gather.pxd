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
    #define voskar_slot_at(item, place) Py_NewRef(*(PyObject **) ((char *) (item) + (place)))
    """
    Py_ssize_t slot_place "voskar_slot_place" (object type, str name) except -1
    object slot_at "voskar_slot_at" (object item, Py_ssize_t place)

cdef object UNSET, Raw
cdef double NAN

@cython.final
cdef class GatheredEntries:
    cdef public object entry
    cdef public int64_t[::1] text_slots, number_slots, at, codes
    cdef public double[::1] default, values
    cdef public list own_slots, names
    cdef public Py_ssize_t slot, texts, numbers, point_slot, width, rows, room

    cpdef object grow(self)

    @cython.locals(
        key_count=Py_ssize_t, row=Py_ssize_t, field=Py_ssize_t, place=Py_ssize_t, code=int64_t, known=dict, is_logged=bint
    )
    cpdef Py_ssize_t take(self, Py_ssize_t at, object entries) except -1

@cython.final
cdef class GatheredValues:
    cdef public int64_t[::1] at, name
    cdef public double[::1] values
    cdef public dict names
    cdef public list poses, odd
    cdef public Py_ssize_t width, rows, room

    cpdef object grow(self)

    @cython.locals(name=str, place=Py_ssize_t)
    cpdef object take(self, Py_ssize_t at, dict values)

@cython.final
cdef class GatheredPoses:
    cdef public int64_t[::1] frame, counts, key, clip, tags, number_slots
    cdef public double[::1] numbers, default, absent, pushes
    cdef public object line, pose
    cdef public GatheredValues boxes, counters
    cdef public list fields, own_slots, line_own_slots, more_slots, others, entries
    cdef public dict keys, clips, tag_sets
    cdef public Py_ssize_t frame_slot, poses_slot, push_slot, boxes_slot, tags_slot, counters_slot
    cdef public Py_ssize_t room, id_slot, kind_slot, owner_slot, clip_slot, rows, frames, key_count

    @cython.locals(
        room=Py_ssize_t, fields=Py_ssize_t, before=list, poses=object, at=Py_ssize_t, key_count=Py_ssize_t, name=str,
        kind=str, owner=object, found=tuple, known=Py_ssize_t, row=Py_ssize_t, field=Py_ssize_t, place=Py_ssize_t,
        says_more=bint, entries=GatheredEntries, text=str,
    )
    cpdef object take(self, object frames)

cpdef Py_ssize_t keys_within(object value)

cpdef list beside(object line)

@cython.locals(key_count=Py_ssize_t, entries=object, field=str, name=str)
cpdef Py_ssize_t keys_beside(object line)

@cython.locals(key_count=Py_ssize_t, name=str)
cpdef Py_ssize_t logged_keys(object line)
