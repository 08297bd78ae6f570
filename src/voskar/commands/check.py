"""`voskar check`: where the game and its rules disagree."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import click
from click.core import ParameterSource
from rich.text import Text

from voskar.commands import compare as comparison
from voskar.commands import coverage_view, present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import SUITE, account_options, engine_options, load
from voskar.commands.watching import watch_option
from voskar.core.ledger import written
from voskar.core.views.timeline import timeline
from voskar.core.watching import watched
from voskar.evidence.check import Verdict
from voskar.evidence.expectations import Failure, State, Statement
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.held import TOLERANCE
from voskar.evidence.patterns import Pattern
from voskar.evidence.weighing import weigh
from voskar.evidence.words import WORDS, accounts
from voskar.files.ledger import read_ledger
from voskar.files.reading import write_text
from voskar.files.windows import parse_windows, window_words
from voskar.suite.coverage import Coverage, covered
from voskar.words import counted

ONE_ONLY = {"reactions", "within", "resync", "tolerance", "expected", "baseline", "propose", "draw", "shrink"}
SUITE_ONLY = {"suite", "workers", "cluster", "report", "stop", "pages", "brief", "shard", "fresh"}
"""Options for one recording, and for a suite."""


@click.command(
    epilog="""
\b
Example:
  voskar check apiary.toml meadow.jsonl
  voskar check apiary.toml meadow.jsonl --within 4
  voskar check apiary.toml meadow.jsonl --within "hit=0,8 health=0,2"
  voskar check apiary.toml meadow.jsonl --json
  voskar check apiary.toml meadow.jsonl --propose first.expect.toml
  voskar check gentle.toml meadow.jsonl --expect meadow.expect.toml
  voskar check apiary.toml meadow.jsonl --draw pictures
  voskar check --suite voskar.toml --report junit.xml --pages pages
  voskar check --coverage --least 60

\b
Exit codes: 0 all agrees, 1 a disagreement was found or too few rules were exercised, 2 bad input.
"""
)
@click.argument("rulebook", metavar="[RULEBOOK", required=False)
@click.argument("recording", metavar="RECORDING]", required=False)
@account_options()
@click.option(
    "--tolerance",
    default=TOLERANCE,
    show_default=True,
    metavar="UNITS",
    help="How far baked poses may be from what blows do.",
)
@click.option("--expect", "expected", multiple=True, metavar="FILE", help="Statements that should hold too.")
@click.option("--baseline", metavar="LEDGER", help="An earlier ledger that this replay should agree with too.")
@click.option("--propose", metavar="FILE", help="Write a first file of expectations from this replay, and stop.")
@click.option("--suite", default=SUITE, show_default=True, metavar="FILE", help="The suite, where no files are given.")
@engine_options(" of a suite")
@click.option(
    "--report", multiple=True, metavar="FILE", help="Of a suite: .xml (JUnit), .json, .html, .txt (file:line: text)."
)
@click.option("--pages", metavar="DIR", help="Of a suite: a page for each recording that fails, and an index.")
@click.option("--brief", is_flag=True, help="Of a suite: only the sum, and what recordings have in common.")
@click.option("--shard", metavar="I/N", help="Of a suite: only the Ith of N parts, for machines that share nothing.")
@click.option("--fresh", is_flag=True, help="Of a suite: judge everything again, whatever is kept of earlier runs.")
@click.option("--stop", is_flag=True, help="End a suite at its first failure.")
@click.option("--coverage", is_flag=True, help="Tell which rules were exercised, and which never.")
@click.option("--least", type=click.FloatRange(0, 100), metavar="PERCENT", help="Fail below this coverage.")
@click.option("--draw", metavar="DIR", help="A picture of each finding that follows from no other.")
@click.option("--shrink", metavar="DIR", help="The smallest scene of each such finding, as a stage script.")
@click.option("--all", "everything", is_flag=True, help="Tell every finding of a pattern, not only the first.")
@watch_option
@click.option("--json", "as_json", is_flag=True, help="The findings as one JSON object instead of lines.")
@click.pass_context
def command(
    ctx: click.Context,
    rulebook: str | None,
    recording: str | None,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    tolerance: float,
    expected: tuple[str, ...],
    baseline: str | None,
    propose: str | None,
    suite: str,
    workers: int | None,
    cluster: str | None,
    report: tuple[str, ...],
    pages: str | None,
    brief: bool,
    shard: str | None,
    fresh: bool,
    stop: bool,
    coverage: bool,
    least: float | None,
    draw: str | None,
    shrink: str | None,
    everything: bool,
    as_json: bool,
) -> int:
    """Hold what the game claimed in RECORDING against what RULEBOOK makes of it.

    Every hit the game claims is matched with a landing of the same striker on the same target. What is left
    over on either side is told with the gate that decided.

    Without RULEBOOK and RECORDING: check every recording of the suite in this folder's voskar.toml.
    """
    told = {one for one in ctx.params if ctx.get_parameter_source(one) is ParameterSource.COMMANDLINE}
    if rulebook is None:
        from voskar.commands.suite_view import check_suite

        for name in sorted(told & ONE_ONLY):
            option = name.removesuffix("ed")
            raise click.UsageError(f"--{option} goes with files: a suite has it in its [[runs]]")
        return check_suite(
            suite,
            (workers, cluster),
            report,
            stop=stop,
            everything=everything,
            as_json=as_json,
            coverage=coverage,
            least=least,
            pages=pages,
            brief=brief,
            shard=shard,
            fresh=fresh,
        )
    if recording is None:
        raise click.UsageError("give a RECORDING beside the RULEBOOK, or neither for the suite of this folder")
    for name in sorted(told & SUITE_ONLY):
        raise click.UsageError(f"--{name} goes with a suite: give no files")
    book, played = load(rulebook, recording, reactions)
    rules, windows = book.rules(played.rate), parse_windows(within)
    statements: list[Statement | State] = []
    if expected:
        from voskar.files.expect import load_expectations  # with what validates it

        statements = [one for name in expected for one in load_expectations(name)]
    earlier = None if baseline is None else read_ledger(baseline)
    found = weigh(rules, played, statements, earlier, windows=windows, tolerance=tolerance, resync=resync)
    if propose is not None:
        from voskar.files.expect import propose as proposed

        write_text(propose, proposed(found.ledger, timeline(rules, played, found.ledger)))
        present.say(f"expectations proposed in {propose}: edit them, then check with --expect {propose}")
        return AGREED
    met = Coverage(covered(book.whole, played, found.ledger), least) if coverage or least is not None else None
    if as_json:
        more = {"expectations": len(statements), "failures": [_failure(one) for one in found.failures]}
        own = {} if found.differs is None else {"baseline": comparison.plain(found.differs)}
        own |= {} if met is None else {"coverage": met.plain()}
        click.echo(json.dumps({**_plain(found.verdict, found.patterns), **more, **own}))
    else:
        _show(found.verdict, found.patterns, recording, window_words(windows), everything=everything)
        if statements:
            _expectations(found.failures, len(statements))
        if found.differs is not None:
            present.say("", f"against {baseline}:")
            comparison.show(found.differs, everything=everything)
        if met is not None:
            click.echo()
            coverage_view.show(met, everything=everything)
    if draw is not None and found.verdict.roots:
        from voskar.commands.draw import Moments, draw_findings  # drawing takes half a second to import

        moments = Moments(rulebook, recording, watched(rules, played, resync=found.verdict.resync), windows)
        drawn = draw_findings(moments, [root for root, _ in found.verdict.roots], Path(draw))
        if not as_json:
            present.say("", f"drew {counted(drawn, 'finding')} to {draw}")
    if shrink is not None and found.verdict.roots:
        from voskar.commands.shrink import shrink_findings

        roots = [root for root, _ in found.verdict.roots]
        shrink_findings(book.whole, recording, roots, windows, Path(shrink), resync=resync)
    return AGREED if found.ok and (met is None or met.ok) else DISAGREED


def _failure(one: Failure) -> dict[str, object]:
    return {name: getattr(one, name) for name in ("statement", "file", "line", "expected", "found")}


def _expectations(failures: Sequence[Failure], count: int) -> None:
    out = present.console()
    out.print()
    for one in failures:
        place = f" (line {one.line})" if one.line is not None else ""
        out.print(Text("fails  ", "bold red").append(f"{one.statement}{place}", "bold"))
        out.print(f"       expected {one.expected}", soft_wrap=True)
        out.print(f"       found {one.found}", soft_wrap=True)
    verb = "holds" if count == 1 else "hold"
    out.print(f"{count - len(failures)} of {counted(count, 'expectation')} {verb}")


FRAMES = 12
"""Most frames of a pattern that are listed."""

STYLES = {"moved": "yellow", "denied": "bold red", "unclaimed": "magenta", "damage": "cyan", "attack": "cyan"}
ABOUT = {"blow": "cyan", "state": "red", "told": "magenta", "reaction": "blue", "spawn": "green"}
STYLES = {code: ABOUT[one.about] for code, one in CODES.items()} | STYLES


def _show(verdict: Verdict, grouped: Sequence[Pattern], name: str, slack: str, *, everything: bool) -> None:
    out = present.console()
    for pattern in grouped:
        frames = ", ".join(map(str, pattern.frames[:FRAMES])) + (", …" if len(pattern.frames) > FRAMES else "")
        out.print(Text(f"{len(pattern.findings)} times  ", "bold").append(pattern.text, "bold"))
        out.print(Text(f"      in {frames}", "dim"))
    if grouped:
        out.print()
    hidden = set() if everything else {id(finding) for pattern in grouped for finding in pattern.findings[1:]}
    shown = [(root, follows) for root, follows in verdict.roots if id(root) not in hidden]
    if verdict.findings:
        table = present.table("", [("frame", "right"), ("finding", ""), ("game", ""), ("rules", "")])
        table.title = None
        table.columns[2].max_width, table.columns[3].ratio = max(out.width // 3, 16), 1
        table.expand = True
        for finding, follows in shown:
            game, rules = accounts(finding)
            table.add_row(str(finding.frame), Text(finding.sort, STYLES[finding.sort]), game, rules)
            for one in follows if everything else ():
                game, rules = accounts(one)
                table.add_row(str(one.frame), Text(f"  {one.sort}", "dim"), Text(game, "dim"), Text(rules, "dim"))
            if follows and not everything:
                what = counted(len(follows), "finding follows", "findings follow")
                first = f"{follows[0].sort} in {follows[0].frame}"
                table.add_row("", "", Text(f"{what} from it: {first}{', …' if len(follows) > 1 else ''}", "dim"), "")
        out.print(table)
        if hidden:
            out.print(f"… and {len(hidden)} more of these patterns: see them with --all", style="dim")
        out.print()
    counts = {sort: sum(one.sort == sort for one in verdict.findings) for sort in WORDS}
    told = [f"{number} {WORDS[sort]}" for sort, number in counts.items() if number]
    head = f"{name}: {counted(verdict.claims, 'claimed hit')}, {counted(verdict.landings, 'landing')}: "
    spawns = [f"{verdict.spawns_agreed} of {verdict.spawns} spawns agreed{slack}"] if verdict.spawns else []
    spawns += [f"{verdict.told_agreed} of {verdict.told} other claims agreed{slack}"] if verdict.told else []
    out.print(Text(head + ", ".join([f"{verdict.agreed} agreed{slack}", *spawns, *told])))
    if verdict.undecided:
        out.print(f"{counted(verdict.undecided, 'reaction')} left undecided by other motion", style="dim")
    if verdict.not_compared:
        out.print(f"not compared, as the recording does not log it: {', '.join(verdict.not_compared)}", style="dim")


def _plain(verdict: Verdict, grouped: Sequence[Pattern]) -> dict[str, object]:
    """The machine form. Keys only ever get more; `version` rises if one changes its meaning."""
    return {
        "voskar": "check",
        "version": 1,
        "ok": verdict.ok,
        "claims": verdict.claims,
        "landings": verdict.landings,
        "agreed": verdict.agreed,
        "spawns": verdict.spawns,
        "spawns_agreed": verdict.spawns_agreed,
        "told": verdict.told,
        "told_agreed": verdict.told_agreed,
        "undecided": verdict.undecided,
        "not_compared": list(verdict.not_compared),
        "patterns": [
            {"text": pattern.text, "count": len(pattern.findings), "frames": list(pattern.frames)}
            for pattern in grouped
        ],
        "findings": [
            {**_finding(root), "follows": [_finding(one) for one in follows]} for root, follows in verdict.roots
        ],
    }


def _finding(one: Finding) -> dict[str, object]:
    return {
        "sort": one.sort,
        "frame": one.frame,
        "striker": one.striker,
        "target": one.target,
        "line": one.claim.line if one.claim else None,
        "rules_frame": one.landing.frame if one.landing else None,
        "shift": one.shift if one.sort in ("moved", "spawn-moved", "told-moved") else None,
        "game": one.game or None,
        "rules": one.rules or None,
        "damage": written(one.landing.damage) if one.landing else None,
        "gate": one.why.gate if one.why else None,
        "why": one.why.sentence if one.why else None,
    }
