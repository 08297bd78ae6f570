"""The results of a suite on a terminal: one line a recording, the faults, and what they have in common."""

from __future__ import annotations

from collections.abc import Sequence

import click
from rich.console import Console
from rich.padding import Padding
from rich.text import Text

from voskar.commands import coverage_view, present
from voskar.commands.main import AGREED, BAD_INPUT, DISAGREED
from voskar.suite import reports
from voskar.suite.coverage import Coverage
from voskar.suite.results import Result
from voskar.words import counted

WHOLE = 3
"""The number of recordings with all their faults in the report."""

WHOSE = {
    "rules": "the game is not what its rules say",
    "expectations": "the rules differ from the expectations",
    "baseline": "the rules are not what they were in the baseline",
    "audit": "the audit of the rules finds something",
}
"""The probable source of a mistake, by what a recording was compared with."""

COMMON = 8
"""Most causes listed that several recordings have in common."""

FAULTS = 6
"""Most faults of one recording that are reported."""


class Conclusion:
    """The results of a suite, and how they are shown. `expected` is the number of recordings that it has, `gone` the
    known findings that no recording has any more."""

    def __init__(self, results: list[Result], found: Coverage | None, expected: int, gone: Sequence[str] = ()) -> None:
        self.results, self.found, self.expected, self.gone = results, found, expected, gone

    def write(self, forms: Sequence[tuple[str, str]]) -> None:
        """Reports: paths, and what each is written as."""
        for path, form in forms:
            reports.write(self.results, path, form, self.found)

    def show(self, *, as_json: bool, everything: bool, brief: bool) -> int:
        """Prints it, and returns the exit code."""
        results, found, out = self.results, self.found, present.console()
        if as_json:
            import json

            click.echo(json.dumps({**reports.plain(results, found), "gone": list(self.gone)}))
        else:
            if not brief:
                _failures(results, everything=everything)
            if found is not None:
                coverage_view.show(found, everything=everything)
                out.print()
            _common(results)
            checked = [result for result in results if not result.is_audit]
            good, frames = sum(result.ok for result in checked), sum(result.frames for result in checked)
            left = f", {self.expected - len(checked)} not run" if len(checked) < self.expected else ""
            out.print(f"{good} of {counted(len(checked), 'recording')} agree, {frames:,} frames{left}")
            known = sum(len(result.known) for result in results)
            if known:
                out.print(f"  {counted(known, 'known finding')} accepted")
            for gone in self.gone:
                out.print(Text(f"  known, and found no more: {gone}"))
            for against, words in WHOSE.items():
                number = sum(any(fault.against == against for fault in result.faults) for result in results)
                if number:
                    out.print(f"  in {number} {words}")
        # A recording that cannot be read outweighs a disagreement in the exit code.
        if any(result.error is not None for result in results):
            return BAD_INPUT
        return AGREED if all(result.ok for result in results) and (found is None or found.ok) else DISAGREED


def _common(results: list[Result]) -> None:
    """Prints the findings that several recordings have in common."""
    found = reports.common(results)
    out = present.console()
    for cause in found[:COMMON]:
        out.print(
            Text(f"{counted(cause.faults, 'time')} in {cause.recordings} recordings  ", "bold").append(cause.cause)
        )
    if len(found) > COMMON:
        out.print(f"… and {counted(len(found) - COMMON, 'more cause')} that several have: see --json", style="dim")
    if found:
        out.print()


def show_line(out: Console, result: Result) -> None:
    word, style = ("agrees", "green") if result.ok else ("fails", "bold red")
    if result.error is not None:
        word, style = "unread", "bold magenta"
    text = result.counts or (result.error or "").split("\n")[0]
    first = ""
    if result.faults:
        # The cause explains more than the first of its findings.
        first = result.explanations[0].text if result.explanations else reports.text(result.faults[0])
    line = Text().append(f"{word:<7}", style).append(f" {result.name}", "bold").append(f"  {text}")
    for words in (line, Text(f"        {first}")) if first else (line,):
        # A terminal shows one line a recording; the rest is below.
        if out.is_terminal:
            out.print(words, overflow="ellipsis", no_wrap=True)
        else:  # a file or a pipe is as wide as its lines
            out.print(words, soft_wrap=True)


def _failures(results: list[Result], *, everything: bool) -> None:
    out = present.console()
    failed = [result for result in results if result.faults]
    out.print()
    for result in results:
        if result.error is not None:
            out.print(Text(result.name, "bold"))
            out.print(Text(f"  {result.error}"))
    for entry in failed if everything else failed[:WHOLE]:
        out.print(Text(entry.name, "bold"))
        for explanation in entry.explanations:
            out.print(Text(f"  {explanation.text}"))
        shown = entry.faults if everything else entry.faults[:FAULTS]
        for fault in shown:
            out.print(Padding(Text(reports.text(fault)), (0, 0, 0, 2)))
            if fault.why is not None:
                out.print(Text(f"    {fault.why}", "dim"), soft_wrap=True)
        if len(entry.faults) > len(shown):
            out.print(f"  … and {len(entry.faults) - FAULTS} more: see them with --all", style="dim")
    if len(failed) > WHOLE and not everything:
        left = counted(len(failed) - WHOLE, "more recording")
        out.print(f"… and {left} that {'fails' if left.startswith('1 ') else 'fail'}: in full with --all", style="dim")
    if failed:
        out.print()
