"""By how much places may differ. In a module of its own: every command offers it, few compare."""

TOLERANCE = 1.0
"""Units by which places may differ from what the rules expect."""
