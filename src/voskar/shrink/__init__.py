"""The smallest scene that still shows a finding."""

from voskar.shrink.search import Search, Shrunk, lines_of, needed_rules, shrunk

__all__ = ["Search", "Shrunk", "lines_of", "needed_rules", "shrunk"]
