"""`voskar replay`: what the rules say happened."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import click
from rich.text import Text

from voskar.commands import present
from voskar.commands.options import Command, Filter, account_options, filters, inputs, json_option, load, resync_of
from voskar.commands.watching import watch_option
from voskar.core.ledger import Event, Ledger
from voskar.core.recording import Recording
from voskar.core.rules import Rules
from voskar.core.step import replay
from voskar.core.views.summary import broods, everyone, summarise
from voskar.evidence.held import EXACT, Held
from voskar.evidence.reactions import reactions
from voskar.evidence.tolerance import TOLERANCE
from voskar.files.ledger import check_ending, ledger_lines, write_ledger
from voskar.words import counted

ROWS = 60
LIFE = ("down", "respawn", "respawn_held", "out", "over", "won")
ROWS_OF = ("contact", "adopted", "clash", *LIFE)


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar replay apiary.toml meadow.jsonl --actor keeper --frames 200-400
  voskar replay apiary.toml meadow.jsonl --ledger meadow.parquet
  voskar replay apiary.toml meadow.jsonl --json --outcome landed | head
""",
)
@inputs
@account_options(resync=False)
@click.option("--ledger", metavar="FILE", help="Write the whole ledger: .jsonl, .csv or .parquet by the ending.")
@click.option(
    "--recording", "logged", metavar="FILE", help="Write what a game playing exactly by these rules would log of it."
)
@watch_option
@json_option("the ledger as JSON Lines")
@click.option("--rows", default=ROWS, show_default=True, metavar="N", help="Most rows of contacts shown; 0 shows all.")
@filters
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    ledger: str | None,
    logged: str | None,
    as_json: bool,
    rows: int,
    shown: Filter,
) -> None:
    """Judge every contact of RECORDING by RULEBOOK.

    RECORDING may be gzip, or "-" for standard input. Filters choose what is shown or printed as JSON; a
    ledger written to a file is always whole. So is the log that --recording writes: test data, or what a correct
    game would have logged of a stage script.
    """
    if ledger:
        # A wrong ending is reported before the replay.
        check_ending(ledger)
    book, played = load(rulebook, recording, reactions)
    rules = book.rules(played.rate)
    result = replay(rules, played, resync_of(played, within, resync))
    shown.check(everyone(rules, played, result))
    if ledger:
        write_ledger(result, ledger)
    if logged:
        from voskar.files.perfect import perfect_source
        from voskar.files.writing import write_recording

        write_recording(perfect_source(rules, played), logged)
    if as_json:
        wanted = replace(result, events=[event for event in result.events if shown.takes(event)])
        click.echo("".join(ledger_lines(wanted)), nl=False)
        return
    _show(rules, played, result, shown, rows)
    if ledger:
        present.say("", f"ledger of {counted(len(result), 'event')} written to {ledger}")
    if logged:
        present.say("", f"the log of a game that plays by these rules written to {logged}")


def _show(rules: Rules, recording: Recording, ledger: Ledger, shown: Filter, rows: int) -> None:
    out = present.console()
    rate = float(recording.rate)
    out.print(
        f"frames {recording.first} to {recording.last}, {recording.frames / rate:.1f} s "
        f"at {present.number(rate)} a second, {counted(len(recording.actors), 'actor')}, "
        f"reactions {recording.reactions}\n"
    )
    contacts = [event for event in ledger.events if event.event in ROWS_OF and shown.takes(event)]
    if contacts:
        _contacts(rules, recording, ledger, contacts[:rows] if rows else contacts)
        if rows and len(contacts) > rows:
            out.print(
                f"… and {counted(len(contacts) - rows, 'more row')}: see them with --rows 0, or filter",
                style="dim",
            )
    else:
        every = ledger.of("contact")
        out.print(
            f"no contact passes these filters; without them there are {len(every)}"
            if every
            else "no contact: nothing that layers and masks let meet ever touched"
        )
    out.print()
    _summary(rules, recording, ledger, shown, rows)
    _broods(ledger, shown)


COLUMNS = (
    ("frames", "right"), ("seconds", "right"), ("attacker", ""), ("target", ""), ("attack", ""), ("outcome", ""),
    ("damage", "right"), ("health", ""),
)  # fmt: skip


def _contacts(rules: Rules, recording: Recording, ledger: Ledger, contacts: list[Event]) -> None:
    out = present.console()
    wide = out.width >= present.WIDE
    healths = _health_changes(ledger)
    rows: list[tuple[str | Text, ...]] = []
    # From the first difference on, the poses no longer follow the rules, so outcomes are marked.
    lost = next(iter(reactions(Held(rules, recording, ledger, recording, EXACT, TOLERANCE)).findings), None)
    for event in contacts:
        seconds = f"{(event.frame - recording.first) / float(recording.rate):.2f}"
        head = (present.span(event.frame, event.until), seconds)
        if event.event == "clash":
            won = f"{event.winner} goes on" if event.winner else ""
            both = f"{event.attack}, {event.other_attack}"
            rows.append((*head, event.id or "", event.other or "", both, Text("clash", "bold"), "", won))
            continue
        if event.event in LIFE:
            rows.append((*head, event.id or "the run", "", "", *_life(event)))
            continue
        if event.event == "adopted":
            value = f"{present.number(event.before)} → {present.number(event.after)}" if event.after is not None else ""
            who = (event.attacker or event.id or "the run", event.target or "", event.attack or "")
            rows.append((*head, *who, Text(f"game: {event.detail}", "italic"), "", value))
            continue
        length = (event.until or event.frame) - event.frame + 1
        box = (f".{event.hitbox}", f".{event.hurtbox}") if wide else ("", "")
        verdict = present.outcome(event.outcome)
        if lost is not None and event.frame > lost.frame:
            verdict.append(" ~", "bold")
        if event.case and event.outcome == "landed":
            verdict.append(f" {event.case}")
        # Outcomes other than a landed hit repeat while the boxes overlap, so their length counts.
        if event.outcome != "landed":
            verdict.append(f" {length}f", "dim")
        # A health event follows its contact in the ledger at once, so no search is needed.
        health = healths.get(id(event))
        row = (
            *head,
            Text(event.attacker or "").append(box[0], "dim") if wide else event.attacker or "",
            Text(event.target or "").append(box[1], "dim") if wide else event.target or "",
            event.attack or "",
            verdict,
            present.number(event.damage),
            f"{present.number(health.before)} → {present.number(health.after)}" if health else "",
        )
        rows.append(row)
    table, whole = present.fitted("contacts", COLUMNS, rows, "seconds", ("attacker", "target"), out.width)
    out.print(table)
    if whole:
        out.print(f"ids are shortened: whole ones in a terminal {whole} wide, and in --json", style="dim")
    if lost is not None and any(event.frame > lost.frame for event in contacts):
        hit = f"in {lost.frame} {lost.target} is {lost.rules}, the poses show: {lost.game}"
        out.print(f"~ follows from a different course of events: {hit}", style="dim")


def _life(event: Event) -> tuple[Text, str, str]:
    """The fate of an actor, or of the run: the last three columns of a row."""
    table = {
        "down": "" if event.lives is None else counted(int(event.lives), "life", "lives") + " left",
        "respawn": f"for {event.detail}" if event.detail else "",
        "respawn_held": f"by {event.detail}",
        "won": event.detail or "",
    }
    name = {"respawn": "back", "respawn_held": "held back"}.get(event.event, event.event)
    return Text(name, "bold"), "", table.get(event.event, "")


def _health_changes(ledger: Ledger) -> dict[int, Event]:
    """The health event that came right behind a contact, by the contact's identity."""
    return {
        id(contact): following
        for contact, following in pairwise(ledger.events)
        if contact.event == "contact" and following.event == "health" and following.id == contact.target
    }


def _summary(rules: Rules, recording: Recording, ledger: Ledger, shown: Filter, rows: int) -> None:
    sums = [
        rule
        for rule in summarise(rules, recording, ledger).values()
        # Actors that took part in nothing would fill the table.
        if (not shown.actors or rule.id in shown.actors) and (rule.landed or rule.hits or rule.ignored or rule.stopped)
    ]
    if not sums:
        return
    headings = ("landed", "dealt", "stopped", "hit", "taken", "ignored", "health", "down in")
    out = present.console()
    wide = out.width >= present.WIDE
    columns = [("actor", ""), *([("kind", "")] if wide else []), *((heading, "right") for heading in headings)]
    table = present.table("actors, over the whole recording", columns)
    for entry in sums[:rows] if rows else sums:
        table.add_row(
            entry.id,
            *([entry.kind] if wide else []),
            str(entry.landed),
            present.number(entry.dealt),
            f"{entry.stopped}f",
            str(entry.hits),
            present.number(entry.taken),
            f"{entry.ignored}f",
            f"{present.number(entry.health)}/{present.number(entry.full)}" if entry.full is not None else "",
            str(entry.down) if entry.down is not None else "",
        )
    out.print(table)
    if rows and len(sums) > rows:
        out.print(f"… and {counted(len(sums) - rows, 'more actor')}: see them with --rows 0", style="dim")


def _broods(ledger: Ledger, shown: Filter) -> None:
    """Prints the actors that the rules spawned, and how each ended."""
    found = [
        brood
        for brood in broods(ledger).values()
        # A driven actor's name begins with that of its owner.
        if not shown.actors or any(brood.name.startswith(actor) for actor in shown.actors)
    ]
    if not found:
        return
    columns = [("spawned by the rules", ""), ("kind", ""), *((name, "right") for name in ("count", "most at once"))]
    table = present.table("", [*columns, ("ended", ""), ("denied", "")])
    table.title = None
    for entry in found:
        ends = ", ".join(f"{count} {why}" for why, count in entry.ends.most_common())
        denied = ", ".join(f"{count} {why}" for why, count in entry.denied.most_common())
        most = "predicted" if entry.expected else str(entry.most)
        table.add_row(entry.name, entry.kind, str(entry.spawned), most, ends, denied)
    out = present.console()
    out.print()
    out.print(table)
