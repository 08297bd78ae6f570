"""What the kernel knows of an actor stands in memory as its struct is declared."""

from __future__ import annotations

import re
from pathlib import Path

from voskar.core import kernel
from voskar.core.kernel.actor_row import ActorRow
from voskar.core.kernel.actor_table import WIDTH, ActorTable

DECLARED = {"double": "float", "int64_t": "int", "uint8_t": "Flag"}


def test_the_struct_declared_for_c_is_that_of_python() -> None:
    text = (Path(next(iter(kernel.__path__))) / "columns.pxd").read_text()
    struct = re.search(r"cdef struct ActorFields:\n((?:    .*\n)+)", text)
    assert struct
    fields = [line.split(maxsplit=1) for line in struct[1].splitlines()]
    assert [(name, DECLARED[dtype]) for dtype, names in fields for name in names.split(", ")] == list(
        ActorRow.__annotations__.items()
    )


def test_what_a_row_holds_is_kept_as_the_table_grows() -> None:
    table = ActorTable(2)
    table.x[1], table.kind[1], table.fixed[1] = 2.5, -7, 1
    table.grow(5)
    table.y[4] = 1.5
    assert (table.x[1], table.kind[1], table.fixed[1]) == (2.5, -7, 1)
    row = ActorRow.from_buffer(table._memory, 4 * WIDTH)
    assert (row.y, row.kind, ActorRow.from_buffer(table._memory, WIDTH).x) == (1.5, 0, 2.5)
