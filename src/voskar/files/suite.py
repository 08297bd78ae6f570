"""Reads a suite: `voskar.toml`, which names rulebooks, recordings, expectations, baselines and tolerances."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Annotated, Any

from pydantic import BeforeValidator, Field, ValidationError

from voskar.errors import InputError, Problem, nearest, path_text
from voskar.evidence.finding import CODES
from voskar.evidence.trials import SUITE_TRIALS
from voskar.files.remote import is_remote
from voskar.files.rulebook_checks import schema_problems
from voskar.files.toml_sources import inside, read_source
from voskar.files.values import Names, Table, Version


class RunsTable(Table):
    """`[[runs]]`; keys that are not logged are those of `[suite]`."""

    recordings: Names
    rulebook: str | None = None
    expect: Names = Field(default_factory=list)
    baseline: str | None = None
    within: Annotated[int, Field(ge=0)] | str | None = None
    resync: bool | None = None
    tolerance: Annotated[float, Field(ge=0)] | None = None


class SuiteTable(Table):
    """`[suite]`"""

    rulebook: str | None = None
    within: Annotated[int, Field(ge=0)] | str = 0
    resync: bool = True
    tolerance: Annotated[float, Field(ge=0)] = 1.0
    coverage: Annotated[float, Field(ge=0, le=100)] | None = None
    audit: bool = False
    allow: Names = Field(default_factory=list)


def _code(value: Any) -> Any:
    if value not in CODES:
        raise ValueError(f"the code of a finding ({nearest(str(value), CODES) or 'see the documentation'})")
    return value


class KnownTable(Table):
    """`[[known]]`: findings that are accepted for now"""

    code: Annotated[str, BeforeValidator(_code)]
    attacker: str | None = None
    target: str | None = None
    key: str | None = None
    until: date | None = None
    reason: str


class SuiteFile(Table):
    """A whole suite."""

    voskar: Version
    suite: SuiteTable = SuiteTable()
    runs: list[RunsTable] = Field(default_factory=list)
    known: list[KnownTable] = Field(default_factory=list)


@dataclass(frozen=True)
class Job:
    """One recording to be checked: paths, and what it is held against. `name` is its path as the suite sees it."""

    name: str
    rulebook: str
    recording: str
    expect: tuple[str, ...]
    baseline: str | None
    within: int | str = 0
    resync: bool = True
    tolerance: float = 1.0
    trials: int = SUITE_TRIALS


@dataclass(frozen=True)
class Known:
    """A finding that is accepted: its code, and, if they are not None, an id or a kind on either side, the table of the
    rulebook that it is about, and the last day. `line` is where the suite says so."""

    code: str
    attacker: str | None
    target: str | None
    key: str | None
    until: date | None
    reason: str
    line: int | None

    def __str__(self) -> str:
        parts = [self.code, *(part for part in (self.attacker, self.target, self.key) if part)]
        return f"{' '.join(parts)} ({self.reason})"


@dataclass(frozen=True)
class Suite:
    """All jobs; the least coverage of rules in percent, None for any; whether rulebooks are audited, and what an audit
    may find; the findings that are known."""

    jobs: tuple[Job, ...]
    coverage: float | None = None
    audit: bool = False
    allow: tuple[str, ...] = ()
    known: tuple[Known, ...] = ()


def load_suite(path: str | Path, checks: Collection[str]) -> Suite:
    """The jobs of a suite, in the order in which it names them; those of one pattern by name.

    `{name}` in `expect` and `baseline` stands for the recording's name without its endings. `checks` are
    those of the audit. Raises InputError for a pattern that no file matches.
    """
    source = read_source(path)
    try:
        data = SuiteFile.model_validate(source.raw)
    except ValidationError as error:
        problems = {source.problem(*problem) for problem in schema_problems(error, SuiteFile)}
        raise InputError(
            sorted(problems, key=lambda problem: (problem.line or 0, problem.key or "", problem.message))
        ) from None
    root = Path(path).parent
    jobs: list[Job] = []
    for index, runs in enumerate(data.runs):
        rulebook = runs.rulebook or data.suite.rulebook
        if rulebook is None:
            raise InputError(source.problem(("runs", index), "no rulebook, neither here nor in [suite]"))
        for place, pattern in enumerate(runs.recordings):
            where = ("runs", index, "recordings", place)
            remote = is_remote(pattern)
            if not remote and (Path(pattern).is_absolute() or ".." in Path(pattern).parts):
                raise InputError(source.problem(where, f'found "{pattern}", expected a path below the suite\'s folder'))
            try:
                found: list[Path | str] = [pattern] if remote else [*sorted(root.glob(pattern))]
            except (ValueError, NotImplementedError, OSError):  # an empty one, `**x`, or a name that is too long
                message = f'found "{pattern[:80]}", expected the path of recordings, or a pattern such as "*.jsonl"'
                raise InputError(source.problem(where, message)) from None
            if not found:
                raise InputError(source.problem(where, f'no file matches "{pattern}"'))
            try:
                jobs += [_job(root, file, rulebook, runs, data.suite) for file in found]
            except ValueError as error:
                raise InputError(source.problem(("runs", index), str(error))) from None
    if not jobs:
        raise InputError(Problem("the suite names no recordings", file=str(path), hint="add a [[runs]] table"))
    for place, name in enumerate(data.suite.allow):
        if name not in checks:
            message = f'found "{name}", expected a check of the audit'
            raise InputError(source.problem(("suite", "allow", place), message, nearest(name, checks)))
    known = tuple(
        Known(**dict(table), line=source.place(("known", index))[1]) for index, table in enumerate(data.known)
    )
    return Suite(tuple(jobs), data.suite.coverage, data.suite.audit, tuple(data.suite.allow), known)


def _job(root: Path, recording: Path | str, rulebook: str, runs: RunsTable, suite: SuiteTable) -> Job:
    """The job of one recording, a path or a URL. Raises ValueError for a path outside the suite's folder."""
    name = Path(recording).name.split(".")[0]

    def below(text: str) -> str:
        return str(inside(root, root / text.replace("{name}", name)))

    return Job(
        path_text(recording if isinstance(recording, str) else recording.relative_to(root).as_posix()),
        below(rulebook),
        str(recording),
        tuple(below(text) for text in runs.expect),
        None if runs.baseline is None else below(runs.baseline),
        suite.within if runs.within is None else runs.within,
        suite.resync if runs.resync is None else runs.resync,
        suite.tolerance if runs.tolerance is None else runs.tolerance,
    )
