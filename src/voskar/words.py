"""Words that are told alike everywhere."""

from __future__ import annotations


def counted(amount: int, thing: str, things: str | None = None) -> str:
    """`1 hit`, `2 hits`, `12,000 frames`."""
    return f"{amount:,} {thing if amount == 1 else things or thing + 's'}"
