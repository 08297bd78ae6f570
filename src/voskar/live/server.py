"""Serves the live page on the loopback interface, to every client that has its address.

Nothing can be changed through it: it answers GET alone, to requests whose Host is its own and whose Origin, if sent,
is too, below a path that begins with a random token.
"""

from __future__ import annotations

import asyncio
import contextlib
import secrets
import threading
from collections.abc import Iterable
from typing import Any

from aiohttp import web

from voskar.live.page import LivePage, PageEvent

HOST = "127.0.0.1"
ALIVE = 15.0
"""Seconds without news after which a comment keeps a connection open."""
MOST_WAITING = 2000
"""Events that one reader may lag behind; then it is let go, and asks again."""
WAITING = """<!doctype html><meta http-equiv="refresh" content="1;url=./"><title>Voskar</title>
<p>Waiting for the first frames.</p>
"""
HEADERS = {
    "Cache-Control": "no-store",
    "Referrer-Policy": "no-referrer",
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Cross-Origin-Resource-Policy": "same-origin",
}


class PageServer:
    """A thread with a server of its own. `send` may be called from any thread."""

    def __init__(self, page: LivePage, port: int = 0) -> None:
        self.page = page
        self.token = secrets.token_urlsafe(24)
        self.port = port
        self.lock = threading.Lock()
        """Held while the page is changed or read."""
        self._readers: set[asyncio.Queue[PageEvent | None]] = set()
        self._loop = asyncio.new_event_loop()
        self._is_up = threading.Event()
        self._error: OSError | None = None

    @property
    def address(self) -> str:
        """Where the page is."""
        return f"http://{HOST}:{self.port}/{self.token}/"

    def start(self) -> None:
        """Begins to serve. Raises OSError for a port that is not free."""
        threading.Thread(target=self._serve, daemon=True).start()
        self._is_up.wait()
        if self._error is not None:
            raise self._error

    def send(self, events: Iterable[PageEvent]) -> None:
        """Sends news to every browser that has the page open."""
        for event in events:
            # the queues of the readers belong to the thread of the loop
            self._loop.call_soon_threadsafe(self._pass_on, event)

    def stop(self) -> None:
        """Sends the end to all pages, and stops."""
        with self.lock:
            # a page that connects again must see that this event is new
            self.page.number += 1
            last = PageEvent(self.page.number, "ended", "")
        with contextlib.suppress(TimeoutError):
            asyncio.run_coroutine_threadsafe(self._close(last), self._loop).result(timeout=3)
        self._loop.call_soon_threadsafe(self._loop.stop)

    async def _close(self, last: PageEvent) -> None:
        self._pass_on(last)
        for reader in self._readers:
            reader.put_nowait(None)
        # the last event needs time to leave before the connection closes
        await asyncio.sleep(0.1)
        await self._runner.cleanup()

    def _pass_on(self, event: PageEvent) -> None:
        for reader in self._readers:
            # None ends the connection; a browser then asks for what it has missed
            reader.put_nowait(None if reader.qsize() > MOST_WAITING else event)

    def _serve(self) -> None:
        asyncio.set_event_loop(self._loop)
        app = web.Application(middlewares=[self._guarded])
        app.add_routes([web.get("/{token}/", self._html), web.get("/{token}/events", self._events)])
        app.add_routes([web.get("/favicon.ico", self._nothing)])
        self._runner = web.AppRunner(app, access_log=None, shutdown_timeout=0.5)
        try:
            self._loop.run_until_complete(self._listen())
        except OSError as error:
            self._error = error
            return
        finally:
            # an error must end the wait in `start` too
            self._is_up.set()
        self._loop.run_forever()

    async def _listen(self) -> None:
        await self._runner.setup()
        await web.TCPSite(self._runner, HOST, self.port).start()
        self.port = self._runner.addresses[0][1]

    async def _guard(self, request: web.Request, handler: Any) -> web.StreamResponse:
        own = {f"{name}:{self.port}" for name in (HOST, "localhost")}
        origin = request.headers.get("Origin")
        # a page elsewhere may have this address called under another name, or call it itself
        if request.host not in own or (origin is not None and origin.removeprefix("http://") not in own):
            raise web.HTTPForbidden
        response: web.StreamResponse = await handler(request)
        return response

    _guarded = web.middleware(_guard)

    def _check_token(self, request: web.Request) -> None:
        # the time of this comparison does not depend on the token
        if not secrets.compare_digest(request.match_info["token"].encode(), self.token.encode()):
            raise web.HTTPNotFound

    async def _nothing(self, request: web.Request) -> web.Response:
        return web.Response(status=204)

    async def _html(self, request: web.Request) -> web.Response:
        self._check_token(request)
        # a page of an hour takes a while to write, and others want their events meanwhile
        text = await asyncio.to_thread(self._rendered)
        return web.Response(text=text or WAITING, content_type="text/html", headers=HEADERS)

    def _rendered(self) -> str | None:
        with self.lock:
            return self.page.html()

    async def _events(self, request: web.Request) -> web.StreamResponse:
        self._check_token(request)
        after = request.headers.get("Last-Event-ID") or request.query.get("after", "")
        if not after.isdecimal():
            raise web.HTTPBadRequest
        response = web.StreamResponse(headers={**HEADERS, "Content-Type": "text/event-stream"})
        await response.prepare(request)
        reader: asyncio.Queue[PageEvent | None] = asyncio.Queue()
        # the queue must exist before the missed events are read, or events in between would be lost
        self._readers.add(reader)
        number = int(after)
        try:
            with self.lock:
                missed = list(self.page.since(number))
            for entry in missed:
                await response.write(_written(entry))
                number = max(number, entry.number)
            while (event := await self._next(reader, response)) is not None:
                if event.number > number:
                    await response.write(_written(event))
        except (ConnectionError, asyncio.CancelledError):
            pass
        finally:
            self._readers.discard(reader)
        return response

    async def _next(self, reader: asyncio.Queue[PageEvent | None], response: web.StreamResponse) -> PageEvent | None:
        while True:
            with contextlib.suppress(TimeoutError):
                return await asyncio.wait_for(reader.get(), ALIVE)
            await response.write(b": nothing new\n\n")


def _written(event: PageEvent) -> bytes:
    return f"id: {event.number}\nevent: {event.event}\ndata: {event.text}\n\n".encode()
