"""Prints a digest of the ledger of every case and of some hundred random worlds, one a line: two installations, one
compiled and one not, print the same.

The worlds are drawn from one seed, so that both runs draw the same.
"""

from __future__ import annotations

import hashlib
import sys
from pathlib import Path

sys.path.insert(1, str(Path(__file__).parents[1]))  # behind PYTHONPATH, whose package is the one under test

from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st

import voskar
from tests import strategies
from tests.worlds import recording, rulebook
from voskar.core.kernel.build import is_compiled
from voskar.core.step import Stepper
from voskar.files.ledger import ledger_lines

WORLDS = 60


def main() -> None:
    lines = []
    for case in sorted(path for path in (Path(__file__).parent / "cases").iterdir() if path.is_dir()):
        book = voskar.load_rulebook(case / "rulebook.toml")
        ledger = voskar.replay(book, voskar.load_recording(case / "recording.jsonl", book))
        lines.append((case.name, "".join(ledger_lines(ledger))))

    @seed(1)
    @settings(
        max_examples=WORLDS,
        database=None,
        deadline=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(
        st.one_of(strategies.rulebooks(), strategies.driving_rulebooks(), strategies.deadly_rulebooks(driving=True)),
        strategies.recordings(),
        st.sampled_from(["baked", "raw"]),
        st.data(),
    )
    def draw(data: dict[str, object], frames: list[dict[str, object]], reactions: str, more: st.DataObject) -> None:
        book = rulebook(data)
        played = recording(book, more.draw(strategies.inputs(frames)), reactions=reactions, seed=3)
        stepper = Stepper(book.rules(played.rate), played)
        while stepper.next <= played.last:
            stepper.run_to(stepper.next + 3)
            stepper = stepper.copy()
        ledger = stepper.close()
        lines.append((f"world {len(lines)}", "".join(ledger_lines(ledger))))

    draw()
    for name, text in lines:
        print(name, hashlib.sha256(text.encode()).hexdigest()[:16])
    print(f"{'compiled' if is_compiled() else 'uncompiled'}: {len(lines)} ledgers", file=sys.stderr)
    print(f"{len(lines)} ledgers alike, compiled and not")


if __name__ == "__main__":
    main()
