"""How many values are tried to explain findings. In a module of its own: every command offers it, few try any."""

TRIALS, SUITE_TRIALS = 64, 24
"""At most so many for one recording, and for each of a suite, unless told otherwise."""
