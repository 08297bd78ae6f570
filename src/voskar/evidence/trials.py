"""How many values are tried to explain findings. In a module of its own: every command offers it, few try any."""

TRIALS = 64
"""At most so many, unless told otherwise."""
