"""What a suite came to, for machines: JUnit XML, JSON, and annotations."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from pathlib import Path
from xml.etree import ElementTree

from voskar.files.reading import whole_file
from voskar.suite.coverage import Coverage
from voskar.suite.running import Fault, Result


def junit(results: Sequence[Result], coverage: Coverage | None = None) -> str:
    """JUnit XML: one test suite, one test case a recording; a failure for what is wrong, an error for what could not
    be read. Times are left out, so that the same suite gives the same bytes."""
    failures, errors = sum(bool(one.faults) for one in results), sum(one.error is not None for one in results)
    failures += coverage is not None and not coverage.ok
    tests = len(results) + (coverage is not None)
    counts = {"tests": str(tests), "failures": str(failures), "errors": str(errors)}
    root = ElementTree.Element("testsuites", counts)
    suite = ElementTree.SubElement(root, "testsuite", {"name": "voskar", **counts, "skipped": "0"})
    for one in results:
        case = ElementTree.SubElement(suite, "testcase", {"classname": "voskar", "name": one.name})
        if one.error is not None:
            told = ElementTree.SubElement(case, "error", {"message": _plain(one.error.splitlines()[0])})
            told.text = _plain(one.error)
        elif one.faults:
            first = one.patterns[0] if one.patterns else text(one.faults[0])
            failure = ElementTree.SubElement(case, "failure", {"message": _plain(first), "type": one.faults[0].sort})
            failure.text = _plain("\n".join([*one.patterns, *map(text, one.faults)]))
        if one.counts:
            ElementTree.SubElement(case, "system-out").text = _plain(one.counts)
    if coverage is not None:
        case = ElementTree.SubElement(suite, "testcase", {"classname": "voskar", "name": "coverage of rules"})
        if not coverage.ok:
            failure = ElementTree.SubElement(case, "failure", {"message": coverage.text, "type": "coverage"})
            failure.text = _plain("\n".join(coverage.never()))
        ElementTree.SubElement(case, "system-out").text = coverage.text
    ElementTree.indent(root)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(root, encoding="unicode") + "\n"


def _plain(told: str) -> str:
    """Text without characters that XML forbids."""
    return "".join(one for one in told if one in "\t\n" or ord(one) >= 0x20)


def text(fault: Fault) -> str:
    """`frame 273: moved: …`"""
    where = "" if fault.frame is None else f"frame {fault.frame}: "
    return f"{where}{fault.sort}: {fault.text}"


def source_lines(results: Sequence[Result], coverage: Coverage | None = None) -> Iterator[str]:
    """`file:line: message`, one a fault, where a source line is known, else `file: message`; then what was never
    exercised."""
    for one in results:
        if one.error is not None:
            yield from one.error.splitlines()
        for fault in one.faults:
            place = fault.file or one.name
            yield f"{place}:{fault.line}: {text(fault)}" if fault.line is not None else f"{place}: {text(fault)}"
    if coverage is not None:
        yield from coverage.never()


def plain(results: Sequence[Result], coverage: Coverage | None = None) -> dict[str, object]:
    """The machine form."""
    more: dict[str, object] = {} if coverage is None else {"coverage": coverage.plain()}
    return {
        "voskar": "suite",
        "version": 1,
        "ok": all(one.ok for one in results) and (coverage is None or coverage.ok),
        "recordings": [
            {
                "name": one.name,
                "ok": one.ok,
                "frames": one.frames,
                "counts": one.counts,
                "error": one.error,
                "patterns": list(one.patterns),
                "faults": [vars(fault) for fault in one.faults],
            }
            for one in results
        ],
        **more,
    }


def write(results: Sequence[Result], path: str | Path, form: str, coverage: Coverage | None = None) -> None:
    """Writes a report, or on failure nothing. `form` is "junit", "json" or "lines"."""
    content = {
        "junit": lambda: junit(results, coverage),
        "json": lambda: json.dumps(plain(results, coverage)) + "\n",
        "lines": lambda: "".join(f"{line}\n" for line in source_lines(results, coverage)),
    }[form]()
    with whole_file(path) as part:
        part.write_text(content, encoding="utf-8")
