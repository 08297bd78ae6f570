"""Logs what happens in a game, frame by frame, for Voskar. Copy this file; it needs nothing but Python.

    log = Recorder("play.jsonl", rate=60)
    # in every frame, when all hits have been dealt and before anything that died is removed:
    log.pose("keeper", "keeper", x, y, facing=1, clip="run", tick=12, health=3)
    log.claim("hit", attacker="hornet-1", target="keeper", damage=1)
    log.end_frame()

Nothing here raises into the game: a recorder that cannot write falls silent, and says why in `problem`.
"""

import atexit
import json


class Recorder:
    def __init__(self, path, rate, first=0, flush_every=120, **header):
        self.frame, self.problem, self._flush_every = first, None, flush_every
        self._line, self._buffer, self._file = {"poses": []}, [], None
        try:
            self._file = open(path, "w", encoding="utf-8", newline="\n")
            self._buffer.append(json.dumps({"voskar": "recording", "version": 2, "rate": rate, **header}))
            atexit.register(self.close)
        except Exception as error:
            self.problem = str(error)

    def pose(self, id, kind, x, y, **more):
        """One actor. More: facing, angle, scale, clip with tick or cell, vx, vy, owner, cut, hidden, health, lives,
        immune, stunned, boxes={"torso": [x0, y0, x1, y1]}, push=[dx, dy]."""
        self._line["poses"].append({"id": id, "kind": kind, "x": x, "y": y, **more})

    def input(self, id, button, down=True, aim=None):
        """A button, in every frame that it is held."""
        entry = {"id": id, "button": button}
        entry.update({} if down else {"down": False})
        entry.update({} if aim is None else {"aim": list(aim)})
        self._add("inputs", entry)

    def claim(self, event, **more):
        """What the game believes: hit, down, respawn, out, removed, spawn, over, won."""
        self._add("claims", {"event": event, **more})

    def display(self, **more):
        """What its own display shows: id with health, percent, icons, lives, score; or clock."""
        self._add("display", more)

    def reset(self, what):
        """Before this frame the "room", or the whole "run", began again."""
        self._line["reset"] = what

    def end_frame(self):
        try:
            if self._file is not None:
                self._buffer.append(json.dumps({"frame": self.frame, **self._line}))
                if len(self._buffer) >= self._flush_every:
                    self.flush()
        except Exception as error:
            self._fail(error)
        self.frame += 1
        self._line = {"poses": []}

    def flush(self):
        try:
            if self._file is not None and self._buffer:
                self._file.write("\n".join(self._buffer) + "\n")
                self._file.flush()
        except Exception as error:
            self._fail(error)
        self._buffer = []

    def close(self):
        self.flush()
        if self._file is not None:
            self._file.close()
            self._file = None

    def _add(self, table, entry):
        self._line.setdefault(table, []).append(entry)

    def _fail(self, error):
        self.problem, self._file = str(error), None
