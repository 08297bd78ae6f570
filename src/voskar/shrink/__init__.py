"""The smallest scene that still shows a finding."""

from voskar.shrink.reduce import reduced
from voskar.shrink.rules import reduced_rules
from voskar.shrink.script import Script, script_of, script_text

__all__ = ["Script", "reduced", "reduced_rules", "script_of", "script_text"]
