"""Draws that depend on nothing but their own names, so that a game in any language can make the same."""

from __future__ import annotations


def draw(seed: int, name: str, what: str) -> float:
    """A number in [0, 1) from the recording's seed, the spawned id and the draw's name."""
    from hashlib import blake2b  # with a library of its own, which few runs need

    digest = blake2b(f"{seed}:{name}:{what}".encode(), digest_size=8).digest()
    return int.from_bytes(digest, "big") / 2**64
