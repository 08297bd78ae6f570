"""`voskar why`: every gate of a pair in a frame, with its numbers."""

from __future__ import annotations

import json
from collections.abc import Sequence

import click
from rich.table import Table
from rich.text import Text

from voskar.commands import present
from voskar.commands.options import Command, account_options, check_actors, inputs, json_option, load, resync_of
from voskar.core.explain.actor import standing
from voskar.core.explain.emitter import EmitterExplainer
from voskar.core.explain.pair import NEAR, Account, PairExplainer
from voskar.core.explain.step import Step
from voskar.core.judging.outcomes import OUTCOMES
from voskar.core.ledger import Ledger, written
from voskar.core.views.timeline import timeline
from voskar.core.watching import Question, watched
from voskar.errors import InputError, Problem, nearest
from voskar.evidence.emissions import near_shots
from voskar.evidence.starts import Appearance


@click.command(
    cls=Command,
    epilog="""
\b
Example:
  voskar why apiary.toml meadow.jsonl --frame 273 --attacker hornet-1 --target keeper
  voskar why apiary.toml meadow.jsonl --frame 520
  voskar why swarm.toml swarm.jsonl --frame 45 --emitter keeper/smoker
  voskar why apiary.toml meadow.jsonl --frame 1500 --actor keeper
""",
)
@inputs
@account_options()
@click.option("--frame", required=True, type=int, metavar="N", help="The frame to look at.")
@click.option("--attacker", metavar="ID", help="Only hits of this actor.")
@click.option("--target", metavar="ID", help="Only hits on this actor.")
@click.option("--emitter", metavar="ID/NAME", help="Why this emitter fired in the frame, or why it did not.")
@click.option("--actor", metavar="ID", help="State of this actor in the frame, and all that happens to it.")
@click.option("--near", default=NEAR, show_default=True, metavar="UNITS", help="How far apart has nearly met.")
@json_option("one object a pair of boxes")
def command(
    rulebook: str,
    recording: str,
    reactions: str | None,
    within: tuple[str, ...],
    resync: bool,
    frame: int,
    attacker: str | None,
    target: str | None,
    emitter: str | None,
    actor: str | None,
    near: float,
    as_json: bool,
) -> None:
    """Explain why a hit landed in a frame of RECORDING, or what stopped it.

    With an attacker and a target: every gate between each of their boxes, passed or not, with the numbers; gates
    behind the deciding gate say what they would have done. With one of the two or none: all that
    touched or nearly did in that frame, with the gate that decided, and what emitters fired or were denied. With an
    actor: its health, lives, i-frames, and being down, with the events that brought it there.
    """
    book, played = load(rulebook, recording, reactions)
    if not played.first <= frame <= played.last:
        message = f"found {frame}, expected a frame of the recording, {played.first} to {played.last}"
        raise InputError(Problem(message, key="--frame"))
    pair = {(attacker, target)} if attacker is not None and target is not None else set()
    question = Question(pair, near=None if pair else near, emitters=True)
    rules = book.rules(played.rate)
    seen = watched(rules, played, {frame: question}, resync=resync_of(played, within, resync))
    known, ledger = seen.recording.numbers, seen.ledger
    check_actors(known, [attacker] if attacker else [], "--attacker")
    check_actors(known, [target] if target else [], "--target")
    if actor is not None:
        course = timeline(rules, played, ledger)
        check_actors(course.courses, [actor], "--actor")
        _standing(frame, actor, standing(course, ledger, seen.recording, actor, frame), as_json)
        return
    silence = EmitterExplainer(seen)
    explainer = PairExplainer(seen)
    if emitter is not None:
        _emitter(silence, frame, emitter, near_shots(rules, played, frame), as_json)
        return
    if attacker is not None and target is not None:
        accounts = explainer.pair(frame, attacker, target)
    else:
        accounts = [
            pair
            for pair in explainer.near(frame, near)
            if (attacker is None or pair.attacker == attacker) and (target is None or pair.target == target)
        ]
    if as_json:
        click.echo("\n".join(json.dumps(_plain(account)) for account in accounts))
    elif attacker is not None and target is not None:
        _in_full(accounts, _came_of_it(ledger, frame, attacker, target))
        for text in _taken_over(ledger, frame, attacker, target):
            present.console().print(Text(f"  adopted from the game: {text}", "italic"))
    else:
        _list(frame, accounts, near, attacker, target)
        if target is None:
            _emitters(silence, frame, attacker)


def _standing(frame: int, actor: str, lines: list[tuple[str, str]], as_json: bool) -> None:
    if as_json:
        tables = [{"topic": topic, "text": text} for topic, text in lines]
        click.echo(json.dumps({"frame": frame, "actor": actor, "standing": tables}))
        return
    out = present.console()
    out.print(Text(f"frame {frame}: {actor}", "bold"))
    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_column(no_wrap=True)
    grid.add_column(overflow="fold")
    for topic, text in lines:
        grid.add_row(f"  {topic}", Text(text))
    out.print(grid)


def _came_of_it(ledger: Ledger, frame: int, attacker: str, target: str) -> list[str]:
    """The consequences of a hit of this pair in this frame: the ledger's events behind it, up to the next contact."""
    came: list[str] | None = None
    for event in ledger.events:
        if event.event == "contact":
            landed = event.frame == frame and event.outcome == "landed"
            if came is not None:
                break
            came = [] if landed and (event.attacker, event.target) == (attacker, target) else None
        elif came is not None and event.frame == frame and event.event != "adopted":  # told by itself
            came.append(event.words())
    return came or []


def _taken_over(ledger: Ledger, frame: int, attacker: str, target: str) -> list[str]:
    """The differences that the replay adopted from the game for a pair in a frame."""
    names = {attacker, target}
    return [
        event.words()
        for event in ledger.of("adopted")
        if event.frame == frame and (event.id in names or (event.attacker, event.target) == (attacker, target))
    ]


def _emitter(silence: EmitterExplainer, frame: int, named: str, shots: Sequence[Appearance], as_json: bool) -> None:
    """Every gate of one emitter, where it fires from, and which shots the recording shows about then."""
    known = {f"{owner}/{emitter.name}": (owner, emitter) for owner, emitter in silence.emitters(frame)}
    if named not in known:
        hint = nearest(named, known)
        raise InputError(Problem(f'no emitter "{named}" is there in frame {frame}', key="--emitter", hint=hint))
    owner, emitter = known[named]
    steps, fired = silence.steps(frame, owner, emitter), silence.fired(frame, owner, emitter)
    names = [event.id for event in fired]
    shown = [shot for shot in shots if shot.actor.kind == emitter.fan.kind and shot.actor.owner in (None, owner)]
    if as_json:
        gates = [{"gate": step.gate, "passed": step.passed, "text": step.text} for step in steps]
        places = [{name: written(getattr(event, name)) for name in ("id", "x", "y", "angle")} for event in fired]
        near = [
            {"id": shot.actor.id, "frame": shot.frame, "x": written(shot.x), "y": written(shot.y)} for shot in shown
        ]
        fields = {"frame": frame, "emitter": named, "fired": names, "gates": gates, "places": places, "shown": near}
        click.echo(json.dumps(fields))
        return
    out = present.console()
    out.print(Text(f"frame {frame}: {named}", "bold").append(f"   spawns {emitter.fan.kind}", "not bold"))
    out.print(_gates(steps))
    stopped = next((step.gate for step in steps if not step.passed), None)
    out.print(f"  so: {'fired ' + ', '.join(map(str, names)) if fired else f'nothing fired, stopped by {stopped}'}")
    place = "at ({}, {})".format
    for event in fired:
        moved = ", and moves in this very frame" if emitter.moves_at_once else ""
        spot = place(present.number(event.x), present.number(event.y))
        out.print(f"      {event.id} {spot}, heading {event.angle:.1f}°{moved}", highlight=False)
    for shot in shown:
        heads = "" if shot.moves is None else f", moving {shot.moves:.1f}°"
        spot = place(present.number(shot.x), present.number(shot.y))
        out.print(f"      the recording shows {shot.actor.id} from {shot.frame} on {spot}{heads}", highlight=False)


def _emitters(silence: EmitterExplainer, frame: int, owner: str | None) -> None:
    """Prints the emitters that fired in a frame, and those that only one gate denied."""
    rows = []
    for name, emitter in silence.emitters(frame, owner):
        steps, fired = silence.steps(frame, name, emitter), silence.fired(frame, name, emitter)
        stopped = next((step for step in steps if not step.passed), None)
        if fired:
            text = ", ".join(f"{event.id}{' (predicted)' if event.detail else ''}" for event in fired)
            rows.append((f"{name}/{emitter.name}", Text("fired", "green"), text))
        elif stopped is not None and stopped.gate != "trigger":
            rows.append((f"{name}/{emitter.name}", Text("denied", "bold red"), f"{stopped.gate}: {stopped.text}"))
    if rows:
        table = present.table("", [("emitter", ""), ("", ""), ("", "")])
        table.title = None
        table.columns[2].ratio, table.expand = 1, True
        for row in rows:
            table.add_row(*row)
        out = present.console()
        out.print()
        out.print(table)


def _gates(steps: Sequence[Step]) -> Table:
    """Gates one below the other; those behind the one that stopped say what they would have done."""
    grid = Table.grid(padding=(0, 2, 0, 0))
    grid.add_column(width=12)
    grid.add_column(no_wrap=True)
    grid.add_column(overflow="fold")
    stopped = False
    for step in steps:
        word = ("would pass" if step.passed else "would stop") if stopped else ("pass" if step.passed else "STOP")
        style = "dim" if stopped else ("green" if step.passed else "bold red")
        grid.add_row(f"  {step.gate}", Text(word, style), Text(step.text, "dim" if stopped else ""))
        for line in step.more:
            grid.add_row("", "", Text(line, "dim"))
        stopped = stopped or not step.passed
    return grid


def _in_full(accounts: list[Account], came: list[str]) -> None:
    out = present.console()
    for index, account in enumerate(accounts):
        if index:
            out.print()
        head = Text(f"frame {account.frame}: {account.attacker} → {account.target}", "bold")
        if account.hitbox:
            head.append(f"   {account.hitbox} on {account.hurtbox}, attack {account.attack}", "not bold")
        out.print(head)
        out.print(_gates(account.steps))
        verdict = present.outcome("landed") if account.gate == "landed" else Text(f"stopped by {account.gate}", "bold")
        out.print(Text("  so: ").append(verdict))
        if account.gate == "landed":
            for text in came:
                out.print(Text(f"      {text}"))


def _list(frame: int, accounts: list[Account], near: float, attacker: str | None, target: str | None) -> None:
    out = present.console()
    if not accounts:
        out.print(f"frame {frame}: nothing touched, and nothing came within {present.number(near)} units of it")
        return
    columns = [("attacker", ""), ("target", ""), ("decided by", ""), ("", "")]
    table = present.table(f"frame {frame}: what touched, and what nearly did", columns)
    table.columns[3].ratio, table.expand = 1, True
    for account in accounts:
        gate = present.outcome(account.gate) if account.gate in OUTCOMES else Text(account.gate)
        table.add_row(account.attacker, account.target, gate, account.sentence)
    out.print(table)
    first = accounts[0]
    hint = f"--attacker {attacker or first.attacker} --target {target or first.target}"
    out.print(f"\nevery gate of one pair: add {hint}", style="dim")


def _plain(account: Account) -> dict[str, object]:
    """The machine form of one pair of boxes."""
    return {
        "frame": account.frame,
        "attacker": account.attacker,
        "hitbox": account.hitbox or None,
        "target": account.target,
        "hurtbox": account.hurtbox or None,
        "attack": account.attack or None,
        "decided": account.gate,
        "gap": written(account.gap),
        "gates": [
            {"gate": step.gate, "passed": step.passed, "text": step.text, "more": list(step.more)}
            for step in account.steps
        ],
    }
