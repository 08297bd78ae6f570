cdef extern from *:
    """
    #ifndef VOSKAR_DIGEST
    #define VOSKAR_DIGEST ""
    #endif
    """
    const char* VOSKAR_DIGEST
