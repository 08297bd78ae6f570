"""The results of a suite, for machines: JUnit XML, JSON, and annotations."""

from __future__ import annotations

import json
import os
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote
from xml.etree import ElementTree

import msgspec

from voskar.core.views.coverage import GROUPS
from voskar.errors import InputError, Problem, path_text, printable
from voskar.files.reading import read_bytes, write_text
from voskar.files.remote import fetched, is_remote
from voskar.suite.coverage import Coverage, Covered
from voskar.suite.results import Explained, Fault, Result


def junit(results: Sequence[Result], coverage: Coverage | None = None) -> str:
    """JUnit XML: one test suite, one test case a recording; a failure for what is wrong, an error for what could not
    be read.

    It is what the strictest schema for it asks for. Times are all 0 and the date is the first of all, so that the same
    suite gives the same bytes.
    """
    # JUnit has two words: a failure is a wrong result, an error a test that could not run
    failures, errors = (
        sum(bool(result.faults) for result in results),
        sum(result.error is not None for result in results),
    )
    failures += coverage is not None and not coverage.ok
    table = {"tests": len(results) + (coverage is not None), "failures": failures, "errors": errors, "time": 0, "id": 0}
    named = {"package": "voskar", "name": "voskar", "hostname": "localhost", "timestamp": "1970-01-01T00:00:00"}
    root = ElementTree.Element("testsuites")
    suite = ElementTree.SubElement(root, "testsuite", named | {key: str(count) for key, count in table.items()})
    ElementTree.SubElement(suite, "properties")
    lines = []
    for result in results:
        if result.error is not None:
            _case(suite, result.name, "error", result.error.split("\n")[0], "unread", [result.error])
        elif result.faults:
            texts = [line for fault in result.faults for line in (text(fault), *([fault.why] if fault.why else []))]
            first = result.explanations[0].text if result.explanations else text(result.faults[0])
            _case(
                suite,
                result.name,
                "failure",
                first,
                result.faults[0].code,
                [*(explanation.text for explanation in result.explanations), *texts],
            )
        else:
            _case(suite, result.name)
        lines.append(f"{result.name}: {result.counts or 'unread'}")
    if coverage is not None:
        lines.append(coverage.text)
        problem = () if coverage.ok else ("failure", coverage.text, "coverage", list(coverage.never()))
        _case(suite, "coverage of rules", *problem)
    ElementTree.SubElement(suite, "system-out").text = _plain("\n".join(lines))
    ElementTree.SubElement(suite, "system-err")
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _case(
    suite: ElementTree.Element, name: str, tag: str = "", message: str = "", code: str = "", lines: Sequence[str] = ()
) -> None:
    case = ElementTree.SubElement(suite, "testcase", {"classname": "voskar", "name": _plain(name), "time": "0"})
    if tag:
        element = ElementTree.SubElement(case, tag, {"message": _plain(message), "type": code})
        element.text = _plain("\n".join(lines))


def _plain(words: str) -> str:
    """Text without characters that XML forbids."""
    return "".join(name for name in words if name in "\t\n" or (ord(name) >= 0x20 and not _is_forbidden(ord(name))))


def _is_forbidden(code: int) -> bool:
    return 0xD800 <= code <= 0xDFFF or code in (0xFFFE, 0xFFFF)


@dataclass(frozen=True)
class Common:
    """A cause that faults of several recordings have in common."""

    cause: str
    faults: int
    recordings: int


def common(results: Sequence[Result]) -> list[Common]:
    """Causes found in at least two recordings, those in the most first."""
    counts: dict[str, list[int]] = {}
    # once for each recording, so that one recording with many faults does not count as many
    for result in results:
        for cause, count in Counter(fault.cause for fault in result.faults if fault.cause).items():
            counts.setdefault(cause, []).append(count)
    found = [Common(cause, sum(numbers), len(numbers)) for cause, numbers in counts.items() if len(numbers) > 1]
    return sorted(found, key=lambda result: (-result.recordings, -result.faults, result.cause))


def text(fault: Fault) -> str:
    """`frame 273: hit-moved: …`"""
    where = "" if fault.frame is None else f"frame {fault.frame}: "
    return printable(f"{where}{fault.code}: {fault.text}")


def source_lines(results: Sequence[Result], coverage: Coverage | None = None) -> Iterator[str]:
    """`file:line: message`, one a fault, where a source line is known, else `file: message`; then what was never
    exercised."""
    for result in results:
        if result.error is not None:
            yield from map(printable, result.error.split("\n"))
        for fault in result.faults:
            place = path_text(fault.file or result.name)
            yield f"{place}:{fault.line}: {text(fault)}" if fault.line is not None else f"{place}: {text(fault)}"
    if coverage is not None:
        yield from map(printable, coverage.never())


LARGEST = 32 << 20
"""Bytes of a JSON report that are read: that of ten thousand recordings."""
VERSION = 3
"""The version of the JSON report. It rises if a key changes its meaning; new keys do not raise it."""


def plain(results: Sequence[Result], coverage: Coverage | None = None) -> dict[str, object]:
    """The machine form."""
    fields: dict[str, object] = {} if coverage is None else {"coverage": coverage.plain()}
    return {
        "voskar": "suite",
        "version": VERSION,
        "ok": all(result.ok for result in results) and (coverage is None or coverage.ok),
        "recordings": [
            {
                "name": result.name,
                "ok": result.ok,
                "frames": result.frames,
                "counts": result.counts,
                "error": result.error,
                "explanations": [vars(explanation) for explanation in result.explanations],
                "faults": [vars(fault) for fault in result.faults],
                "known": [vars(fault) for fault in result.known],
            }
            for result in results
            if not result.is_audit
        ],
        "audits": [
            {
                "name": result.name,
                "ok": result.ok,
                "counts": result.counts,
                "faults": [vars(fault) for fault in result.faults],
            }
            for result in results
            if result.is_audit
        ],
        "common": [vars(entry) for entry in common(results)],
        **fields,
    }


def read(path: str) -> tuple[list[Result], list[Covered] | None]:
    """The results of a report that was written as JSON, here or at a URL, and the rules that it found exercised, if it
    counts them.

    Raises InputError for a file that is none.
    """
    if is_remote(path):
        with fetched(path) as local:
            return read(str(local))
    data = read_bytes(path)
    if len(data) > LARGEST:
        message = f"found a report of {len(data) >> 20} MiB, expected at most {LARGEST >> 20} MiB"
        raise InputError(Problem(message, file=path))
    try:
        report = msgspec.json.decode(data, type=_Report)
        odd = (
            next((rule for rule in report.coverage.rules if rule.group not in GROUPS), None)
            if report.coverage
            else None
        )
        if odd is not None:
            raise ValueError(f'found the group "{odd.group}", expected one of {", ".join(GROUPS)}')
    except (ValueError, RecursionError, msgspec.MsgspecError) as error:
        # an older report may lack what the merged one says
        hint = "write one with voskar suite --report part.json"
        raise InputError(Problem(f"not the JSON report of a suite: {error}", file=path, hint=hint)) from None
    if report.version != VERSION:
        again = "run the part again with this Voskar" if report.version < VERSION else None
        raise InputError(
            Problem(f"found a report of version {report.version}, expected {VERSION}", file=path, hint=again)
        )
    audits = [msgspec.structs.replace(audit, is_audit=True) for audit in report.audits]
    results = [Result(**msgspec.structs.asdict(recording)) for recording in (*report.recordings, *audits)]
    return results, None if report.coverage is None else report.coverage.rules


class _Told(msgspec.Struct):
    """A recording, or an audit, as `plain` writes it."""

    name: str
    faults: tuple[Fault, ...]
    frames: int = 0
    counts: str = ""
    explanations: tuple[Explained, ...] = ()
    error: str | None = None
    known: tuple[Fault, ...] = ()
    is_audit: bool = False


class _Rules(msgspec.Struct):
    rules: list[Covered]


class _Report(msgspec.Struct, tag_field="voskar", tag="suite"):
    recordings: list[_Told]
    version: int = 1
    audits: list[_Told] = []
    coverage: _Rules | None = None


def overview(results: Sequence[Result], folder: Path, coverage: Coverage | None = None) -> str:
    """One page over a suite, which links the pages that were written, as seen from a folder."""
    from voskar.pages.render import render_index

    checked = [result for result in results if not result.is_audit]
    lines = [f"{sum(result.ok for result in checked)} of {len(checked)} recordings agree"]
    lines += [f"{result.faults} times in {result.recordings} recordings: {result.cause}" for result in common(results)]
    lines += [] if coverage is None else [coverage.text]
    rows = [
        {
            "name": result.name,
            "ok": result.ok,
            "counts": result.counts,
            "faults": [result.error]
            if result.error
            else [explanation.text for explanation in result.explanations]
            or [text(fault) for fault in result.faults[:3]],
            "href": None if result.page is None else quote(os.fsencode(os.path.relpath(result.page, folder))),
        }
        for result in results
    ]
    return render_index("What the suite came to", rows, lines)


def write(results: Sequence[Result], path: str | Path, form: str, coverage: Coverage | None = None) -> None:
    """Writes a report, or on failure nothing. `form` is "junit", "json", "lines" or "html"."""
    content = {
        "junit": lambda: junit(results, coverage),
        "json": lambda: json.dumps(plain(results, coverage)) + "\n",
        "html": lambda: overview(results, Path(path).parent, coverage),
        "lines": lambda: "".join(f"{line}\n" for line in source_lines(results, coverage)),
    }[form]()
    write_text(path, content)
