"""A first rulebook from recordings, each value with the evidence for it."""

from voskar.draft.guess import guess
from voskar.draft.values import Guess
from voskar.draft.write import rulebook_text

__all__ = ["Guess", "guess", "rulebook_text"]
