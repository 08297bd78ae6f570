"""`voskar stats`: what each actor and each attack dealt, took and wasted."""

from __future__ import annotations

import json

import click

from voskar.commands import present
from voskar.commands.options import Command, actors_option, check_actors, inputs, json_option, load, reactions_option
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import written
from voskar.core.step import replay
from voskar.core.views.statistics import Record, Statistics, Tally, statistics


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar stats apiary.toml meadow.jsonl
  voskar stats apiary.toml meadow.jsonl --actor keeper --json
""",
)
@inputs
@reactions_option
@actors_option("Only this actor")
@json_option("one object")
def command(rulebook: str, recording: str, reactions: str | None, actor: tuple[str, ...], as_json: bool) -> None:
    """Count the results of RECORDING by RULEBOOK: damage, hits, ignored contacts and why, time alive, deaths.

    Shares are of frames of contact. What one emitter, parent or hit effect spawned is summed up in one line.
    """
    book, played = load(rulebook, recording, reactions)
    rules = book.rules(played.rate)
    found = statistics(rules, played, replay(rules, played))
    check_actors(found.actors, actor, "--actor")
    shown = [record for name, record in found.actors.items() if not actor or name in actor]
    if as_json:
        click.echo(json.dumps(_plain(found, shown)))
    else:
        _show(found, shown, everything=bool(actor))


def _ignored(tally: Tally, wide: bool) -> str:
    """`38 %: immune 60, unmet 4`"""
    # No contact, so there is no share of one.
    if tally.share is None:
        return ""
    reasons = [f"{name} {tally.stopped[name]}" for name in OUTCOMES if tally.stopped[name]]
    share = f"{100 * tally.share:.0f} %"
    return f"{share}: {', '.join(reasons)}" if reasons and wide else share


def _show(found: Statistics, shown: list[Record], *, everything: bool) -> None:
    out = present.console()
    wide = out.width >= present.WIDE
    seconds = f"{found.frames / found.rate:.1f} s"
    headings = ("landed", "dealt", "hit", "taken", "ignored", "first hit", "alive")
    columns = [("actor", ""), *((heading, "right") for heading in headings)]
    table = present.table(f"actors, over {found.frames} frames, {seconds}", [*columns, ("went down by", "")])
    for record in shown:
        # An actor without contacts is listed only if it is asked for.
        if not (everything or record.striking.contacts or record.struck.contacts):
            continue
        deaths = ", ".join(f"{cause} ({count})" if count > 1 else cause for cause, count in record.deaths.most_common())
        first = record.striking.first
        table.add_row(
            record.name,
            str(record.striking.landed),
            present.number(record.striking.dealt),
            str(record.struck.landed),
            present.number(record.struck.dealt),
            _ignored(record.struck, False),
            "" if first is None else str(first),
            f"{record.alive / found.rate:.1f} s",
            deaths,
        )
    out.print(table)
    out.print()
    columns = [("attack", ""), *((heading, "right") for heading in ("landed", "dealt", "downs", "first"))]
    table = present.table("attacks", [*columns, ("ignored, in frames of contact", "")])
    unused = []
    # An attack that never touched is named in one line below.
    for name, tally in found.attacks.items():
        if not tally.contacts:
            unused.append(name)
            continue
        since = "" if tally.first is None else str(tally.first)
        counts = (str(tally.landed), present.number(tally.dealt), str(tally.downs), since)
        table.add_row(name, *counts, _ignored(tally, True))
    out.print(table)
    if unused:
        out.print(f"never touched anything: {', '.join(unused)}", style="dim")
    if wide:
        out.print("hit, taken, ignored: what others did to it; ignored: share of frames of contact", style="dim")


def _tally(tally: Tally) -> dict[str, object]:
    return {
        "landed": tally.landed,
        "damage": written(float(tally.dealt)),
        "contact_frames": tally.contacts,
        "ignored_share": None if tally.share is None else round(tally.share, 6),
        "ignored": dict(sorted(tally.stopped.items())),
        "first": tally.first,
        "downs": tally.downs,
    }


def _plain(found: Statistics, shown: list[Record]) -> dict[str, object]:
    """The machine form."""
    return {
        "voskar": "stats",
        "version": 2,
        "frames": found.frames,
        "rate": written(found.rate),
        "actors": [
            {
                "id": actor.name,
                "kind": actor.kind,
                "count": actor.count,
                "striking": _tally(actor.striking),
                "struck": _tally(actor.struck),
                "alive_frames": actor.alive,
                "deaths": dict(sorted(actor.deaths.items())),
                "returns": actor.returns,
            }
            for actor in shown
        ],
        "attacks": {name: _tally(tally) for name, tally in found.attacks.items()},
    }
