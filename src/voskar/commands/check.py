"""`voskar check`: where the game and its rules disagree."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import click
from rich.text import Text

from voskar.commands import compare as comparison
from voskar.commands import coverage_view, present
from voskar.commands.main import AGREED, DISAGREED
from voskar.commands.options import (
    Command,
    account_options,
    all_option,
    coverage_option,
    explain_options,
    inputs,
    json_option,
    load,
    report_form,
    report_options,
    tolerance_option,
    variants_of,
)
from voskar.commands.watching import watch_option
from voskar.core.ledger import written
from voskar.core.views.timeline import timeline
from voskar.core.watching import watched
from voskar.evidence.expectations import Failure, State, Statement
from voskar.evidence.finding import CODES, Finding
from voskar.evidence.words import WORDS, accounts
from voskar.explaining import words as explained
from voskar.explaining.groups import Group
from voskar.explaining.weighing import Weighed, weigh
from voskar.files.ledger import read_ledger
from voskar.files.reading import write_text
from voskar.files.windows import parse_windows, window_words
from voskar.suite.coverage import Coverage, covered
from voskar.words import counted


@click.command(
    cls=Command,
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
  voskar check apiary.toml meadow.jsonl --report junit.xml --least 30

\b
Exit codes: 0 all agrees, 1 a disagreement was found or too few rules were exercised, 2 bad input.
""",
)
@inputs
@account_options()
@tolerance_option
@explain_options()
@click.option("--expect", "expected", multiple=True, metavar="FILE", help="Expectations that must hold too.")
@click.option("--baseline", metavar="LEDGER", help="An earlier ledger that this replay must equal.")
@click.option("--propose", metavar="FILE", help="Write expectations that this replay meets, and stop.")
@click.option("--draw", metavar="DIR", help="Draw each root finding into DIR.")
@click.option("--shrink", metavar="DIR", help="Write the smallest scene of each root finding into DIR.")
@report_options
@coverage_option
@all_option("every finding that is explained, or concerns the same rule as another")
@watch_option
@json_option("one object")
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    tolerance: float,
    trials: int,
    expected: tuple[str, ...],
    baseline: str | None,
    propose: str | None,
    draw: str | None,
    shrink: str | None,
    report: tuple[str, ...],
    least: float | None,
    coverage: bool,
    everything: bool,
    as_json: bool,
) -> int:
    """Compare what the game logged in RECORDING with the rules in RULEBOOK.

    Each hit that the game claims is matched with a hit of the rules by the same attacker on the same target. What has
    no match is reported with the gate that decided. Many recordings at once: voskar suite.
    """
    # A wrong ending must be reported before the work, not after it.
    forms = [(path, report_form(path)) for path in report]
    book, played = load(rulebook, recording, reactions)
    # Rules need the rate of the recording.
    rules, windows = book.rules(played.rate), parse_windows(within)
    statements: list[Statement | State] = []
    if expected:
        from voskar.files.expect import load_expectations  # with what validates it

        statements = [expectation for name in expected for expectation in load_expectations(name)]
    earlier = None if baseline is None else read_ledger(baseline)
    found = weigh(
        rules,
        played,
        statements,
        earlier,
        windows=windows,
        tolerance=tolerance,
        resync=resync,
        variants=variants_of(book, played),
        trials=trials,
    )
    # Expectations that are proposed from a wrong replay would be wrong too, so nothing else is done here.
    if propose is not None:
        from voskar.files.expect import propose as proposed

        write_text(propose, proposed(found.ledger, timeline(rules, played, found.ledger)))
        present.say(f"expectations proposed in {propose}: edit them, then check with --expect {propose}")
        return AGREED
    # Coverage reads the keys of the rulebook, which a kept rulebook does not have.
    covers = coverage or least is not None
    met = Coverage(covered(book.whole, played, found.ledger), least) if covers else None
    if forms:
        from voskar.files.suite import Job  # with what validates suites
        from voskar.suite import reports
        from voskar.suite.results import result_of

        job = Job(recording, rulebook, recording, expected, baseline)
        result = result_of(job, played, found, len(statements))
        for path, form in forms:
            reports.write([result], path, form, met)
    if as_json:
        fields = {"expectations": len(statements), "failures": [_failure(failure) for failure in found.failures]}
        own = {} if found.differs is None else {"baseline": comparison.plain(found.differs)}
        own |= {} if met is None else {"coverage": met.plain()}
        click.echo(json.dumps({**_plain(found), **fields, **own}))
    else:
        _show(found, recording, window_words(windows), everything=everything)
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


def _failure(failure: Failure) -> dict[str, object]:
    return {name: getattr(failure, name) for name in ("statement", "file", "line", "expected", "found")}


def _expectations(failures: Sequence[Failure], count: int) -> None:
    out = present.console()
    out.print()
    for failure in failures:
        place = f" (line {failure.line})" if failure.line is not None else ""
        out.print(Text("fails  ", "bold red").append(f"{failure.statement}{place}", "bold"))
        out.print(f"       expected {failure.expected}", soft_wrap=True)
        out.print(f"       found {failure.found}", soft_wrap=True)
    verb = "holds" if count == 1 else "hold"
    out.print(f"{count - len(failures)} of {counted(count, 'expectation')} {verb}")


FRAMES = 12
"""Most frames of one rule that are listed."""

STYLES = {
    "hit-moved": "yellow",
    "hit-denied": "bold red",
    "hit-missing": "magenta",
    "hit-damage": "cyan",
    "hit-attack": "cyan",
    "hit-case": "cyan",
}
ABOUT = {"hit": "cyan", "state": "red", "event": "magenta", "reaction": "blue", "spawn": "green"}
STYLES = {code: ABOUT[entry.about] for code, entry in CODES.items()} | STYLES


def _show(found: Weighed, name: str, slack: str, *, everything: bool) -> None:
    out, verdict = present.console(), found.verdict
    for explanation in found.explanations:
        out.print(Text(explained.sentence(explanation, found.variants, len(verdict.roots)), "bold"))
        for line in filter(None, (explained.sharpness(explanation), explained.others(explanation))):
            out.print(Text(f"  {line}", "dim"))
    if found.explanations:
        out.print()
    # Findings are the same objects in all lists, so their identity joins the lists.
    alike = {id(group.findings[0]): group for group in found.groups}
    alike |= {
        id(entry.explains[0]): Group(entry.leaf.key, entry.explains) for entry in found.explanations if entry.explains
    }
    # Findings that share a rule or a cause are one line; --all lists each of them.
    shown = [(root, follows) for root, follows in verdict.roots if everything or id(root) in alike]
    if verdict.findings:
        table = present.table("", [("frame", "right"), ("finding", ""), ("game", ""), ("rules", "")])
        table.title = None
        table.columns[2].max_width, table.columns[3].ratio = max(out.width // 3, 16), 1
        # Two columns hold sentences, so the table uses the whole width.
        table.expand = True
        for finding, follows in shown:
            game, rules = accounts(finding)
            table.add_row(str(finding.frame), Text(finding.code, STYLES[finding.code]), game, rules)
            for following in follows if everything else ():
                game, rules = accounts(following)
                table.add_row(
                    str(following.frame), Text(f"  {following.code}", "dim"), Text(game, "dim"), Text(rules, "dim")
                )
            if everything:
                continue
            if follows:
                what = counted(len(follows), "finding follows", "findings follow")
                first = f"{follows[0].code} in {follows[0].frame}"
                table.add_row("", "", Text(f"{what} from it: {first}{', …' if len(follows) > 1 else ''}", "dim"), "")
            group = alike[id(finding)]
            if len(group.findings) > 1:
                frames = ", ".join(str(entry.frame) for entry in group.findings[1:FRAMES])
                ends = ", …" if len(group.findings) > FRAMES else ""
                text = f"{len(group.findings) - 1} more of {group.rule}: in {frames}{ends}"
                table.add_row("", "", "", Text(text, "dim"))
        out.print(table)
        if len(shown) < len(verdict.roots):
            out.print("see each with --all", style="dim")
        out.print()
    for hint in verdict.hints:
        out.print(f"note: {hint}.")
        out.print()
    counts = {code: sum(finding.code == code for finding in verdict.findings) for code in WORDS}
    texts = [f"{number} {WORDS[code]}" for code, number in counts.items() if number]
    head = f"{name}: {counted(verdict.claims, 'claimed hit')}, {verdict.hits} by the rules: "
    spawns = [f"{verdict.spawns_agreed} of {verdict.spawns} spawns agreed{slack}"] if verdict.spawns else []
    spawns += [f"{verdict.events_agreed} of {verdict.events} other claims agreed{slack}"] if verdict.events else []
    out.print(Text(head + ", ".join([f"{verdict.agreed} agreed{slack}", *spawns, *texts])))
    if verdict.undecided:
        out.print(f"{counted(verdict.undecided, 'reaction')} left undecided by other motion", style="dim")
    if verdict.not_compared:
        out.print(f"not compared, as the recording does not log it: {', '.join(verdict.not_compared)}", style="dim")


def _plain(found: Weighed) -> dict[str, object]:
    """The machine form. Keys only ever get more; `version` rises if one changes its meaning."""
    verdict = found.verdict
    places = {id(root): place for place, (root, _) in enumerate(verdict.roots)}
    return {
        "voskar": "check",
        "version": 3,
        "ok": verdict.ok,
        "claims": verdict.claims,
        "hits": verdict.hits,
        "agreed": verdict.agreed,
        "spawns": verdict.spawns,
        "spawns_agreed": verdict.spawns_agreed,
        "events": verdict.events,
        "events_agreed": verdict.events_agreed,
        "undecided": verdict.undecided,
        "not_compared": list(verdict.not_compared),
        "hints": list(verdict.hints),
        "explanations": [explained.plain(explanation, found.variants, places) for explanation in found.explanations],
        # Places in the list instead of the findings themselves: a group repeats what `findings` has.
        "groups": [
            {"rule": group.rule, "findings": [places[id(finding)] for finding in group.findings]}
            for group in found.groups
        ],
        "findings": [
            {**plain_finding(root), "follows": [plain_finding(follow) for follow in follows]}
            for root, follows in verdict.roots
        ],
    }


def plain_finding(finding: Finding) -> dict[str, object]:
    """The machine form of a finding."""
    return {
        "code": finding.code,
        "frame": finding.frame,
        "attacker": finding.attacker,
        "target": finding.target,
        "line": finding.claim.line if finding.claim else None,
        "rules_frame": finding.hit.frame if finding.hit else None,
        # Other codes have no shift that means anything.
        "shift": finding.shift if finding.code in ("hit-moved", "spawn-moved", "event-moved") else None,
        "game": finding.game or None,
        "rules": finding.rules or None,
        "damage": written(finding.hit.damage) if finding.hit else None,
        "gate": finding.why.gate if finding.why else None,
        "why": finding.why.sentence if finding.why else None,
    }
