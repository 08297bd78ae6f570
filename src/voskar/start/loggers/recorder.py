"""Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but Python.

    log = Recorder("play.jsonl", rate=60)
    # in every frame, when all hits have been dealt and before anything that died is removed:
    log.pose("keeper", "keeper", x, y, facing=1, clip="run", tick=12, health=3)
    log.claim("hit", attacker="hornet-1", target="keeper", damage=1)
    log.end_frame()

A path such as "tcp://127.0.0.1:7777" sends the lines to `voskar live --listen 127.0.0.1:7777`; one that ends in .gz is
compressed. What is logged is written after `flush_seconds`, 0 for every frame. Numbers have `decimals` places, 4 by
default. A thing out of a pool needs another id each time: `id = log.pool("shot-0")` as it is taken out.

Nothing here raises into the game or keeps it waiting: a recorder that cannot write falls silent, and says why in
`problem`; if its reader is too slow, it loses frames, counts them in `lost`, and reports them. Numbers that are none
and ids that cannot be printed are replaced; the log says so in `problems`. One thread logs.
"""

import atexit
import gzip
import json
import math
import socket
import time

MOST_WAITING = 4_000_000
"""Bytes that may wait for a slow reader before frames are lost."""


class Recorder:
    def __init__(self, path, rate, first=0, flush_seconds=0.1, decimals=4, **header):
        self.frame, self.problem, self.lost, self.decimals = first, None, 0, decimals
        self._problems, self._pool, self._packed = [], {}, str(path).endswith(".gz")
        self._flush_seconds, self._flushed, self._dropped = flush_seconds, time.monotonic(), 0
        self._line, self._buffer, self._size, self._file, self._socket = {"poses": []}, [], 0, None, None
        try:
            if str(path).startswith("tcp://"):
                host, _, port = str(path)[len("tcp://") :].rpartition(":")
                self._socket = socket.create_connection((host, int(port)), timeout=1)
                self._socket.setblocking(False)
            else:
                self._file = open(path, "wb")
            self._put(json.dumps({"voskar": "recording", "version": 2, "rate": rate, **header}))
            self.flush()
            atexit.register(self.close)
        except Exception as error:
            self._fail(error)

    def pose(self, id, kind, x, y, **more):
        """One actor. More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives,
        immune, stunned, frozen, z, tags=["airborne"], counters={"guard": 4}, boxes={"torso": [x0, y0, x1, y1]},
        push=[dx, dy]."""
        self._add("poses", {"id": id, "kind": kind, "x": x, "y": y, **more})

    def pool(self, id):
        """Another id at each call: for a thing out of a pool, as it is taken out again."""
        self._pool[id] = count = self._pool.get(id, 0) + 1
        return id if count == 1 else f"{id}~{count}"

    def input(self, id, button, down=True, aim=None):
        """A button, in every frame that it is held."""
        entry = {"id": id, "button": button}
        entry.update({} if down else {"down": False})
        entry.update({} if aim is None else {"aim": list(aim)})
        self._add("inputs", entry)

    def claim(self, event, **more):
        """An event of the game: hit, clash (ids=[a, b]), down, respawn, out, removed, spawn, over, won."""
        self._add("claims", {"event": event, **more})

    def display(self, **more):
        """An entry of its own display: id with health, percent, icons, lives, score; or clock."""
        self._add("display", more)

    def reset(self, what):
        """Before this frame the "room", or the whole "run", began again."""
        self._line["reset"] = what

    def end_frame(self):
        try:
            if self._size > MOST_WAITING:
                self._dropped, self.lost = self._dropped + 1, self.lost + 1
            elif self._file is not None or self._socket is not None:
                line = {"frame": self.frame, **self._line}
                line.update({"dropped": self._dropped} if self._dropped else {})
                line.update({"problems": self._problems[:10]} if self._problems else {})
                self._put(json.dumps(line))
                self._dropped = 0
            # a game without pauses fills a file faster than that
            is_full = self._file is not None and self._size > MOST_WAITING // 4
            if is_full or time.monotonic() - self._flushed >= self._flush_seconds:
                self.flush()
        except Exception as error:
            self._fail(error)
        self.frame += 1
        self._line, self._problems = {"poses": []}, []

    def flush(self):
        self._flushed = time.monotonic()
        try:
            if self._file is not None and self._buffer:
                data = b"".join(self._buffer)
                self._file.write(gzip.compress(data) if self._packed else data)
                self._file.flush()
                self._buffer, self._size = [], 0
            elif self._socket is not None and self._buffer:
                waiting = b"".join(self._buffer)
                sent = self._socket.send(waiting)
                self._buffer, self._size = [waiting[sent:]], len(waiting) - sent
        except BlockingIOError:
            pass  # the reader is busy
        except Exception as error:
            self._fail(error)

    def close(self):
        if self._socket is not None:
            self._socket.settimeout(1)
        self.flush()
        for sink in (self._file, self._socket):
            if sink is not None:
                sink.close()
        self._file = self._socket = None

    def _put(self, line):
        self._buffer.append(line.encode() + b"\n")
        self._size += len(self._buffer[-1])

    def _add(self, table, entry):
        who = _printable(str(entry.get("id") or entry.get("event") or table))
        clean = {name: self._plain(value, who, name) for name, value in entry.items()}
        self._line.setdefault(table, []).append(clean)

    def _plain(self, value, who, name):
        """A value as JSON has it: what cannot be written is replaced, and the log says so."""
        if isinstance(value, bool) or value is None or isinstance(value, int):
            return value
        if isinstance(value, str):
            if not value.isprintable():
                self._problems.append(f"{who}: {name} had characters that cannot be printed")
            return _printable(value)
        if isinstance(value, dict):
            return {str(key): self._plain(item, who, f"{name}.{key}") for key, item in value.items()}
        if isinstance(value, (list, tuple, set, frozenset)):
            return [self._plain(item, who, name) for item in value]
        try:
            number = float(value)
        except Exception:
            number = math.nan
        if not math.isfinite(number):
            self._problems.append(f"{who}: {name} was {value}")
            return 0
        return round(number, self.decimals)

    def _fail(self, error):
        self.problem, self._file, self._socket = str(error), None, None
        self._buffer, self._size = [], 0


def _printable(text):
    return text if text.isprintable() else "".join(letter if letter.isprintable() else "?" for letter in text)
