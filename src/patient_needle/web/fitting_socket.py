"""Live fittings' sockets: messages carried between a page (WebSocket, RFC 6455) and the process that has the
fitting, as bytes that nobody opens on the way.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from flask import Response

from ..session.wire import LARGEST, LENGTH, framed

PATH = "/api/fitting"
MOST = 16  # sockets at once
RATE = 200  # messages that a page may send in a second
BURST = 400
STARTING = 15.0  # s that the process of live fittings may take to start
UNREAD = 20.0  # s that a page may take to read one message
BUFFER = 1 << 17  # bytes read ahead of a page; what it has not read is not waited for
POLICY, AWAY, TOO_MANY = 1008, 1011, 1013  # close codes (RFC 6455, 7.4.1)

Receive = Callable[[], Awaitable[dict[str, Any]]]
Send = Callable[[dict[str, Any]], Awaitable[None]]


class FittingSockets:
    """Carries sockets to a local one."""

    def __init__(self, address: Path) -> None:
        self._address = address
        self._open = 0

    async def carry(self, path: str, refused: Response | None, receive: Receive, send: Send) -> None:
        """One socket, until either side leaves."""
        await receive()  # "websocket.connect"
        if refused is not None or path != PATH:
            await send({"type": "websocket.close", "code": POLICY})  # before it is accepted: answered with 403
            return
        await send({"type": "websocket.accept"})
        if self._open >= MOST:
            await _close(send, TOO_MANY, "too many windows have a fitting open: close some of them")
            return
        try:
            reader, writer = await self._connected()
        except OSError:
            await _close(send, AWAY, "the process of live fittings is away: it is started again, wait a moment")
            return
        self._open += 1
        ways = [
            asyncio.ensure_future(_to_fitting(receive, writer)), asyncio.ensure_future(_to_page(reader, send))
        ]  # fmt: skip
        try:
            done, _ = await asyncio.wait(ways, return_when=asyncio.FIRST_COMPLETED)
            for way in done:
                code, why = way.result()
                await _close(send, code, why)
        finally:
            self._open -= 1
            for way in ways:
                way.cancel()
            writer.close()
            await asyncio.gather(*ways, return_exceptions=True)

    async def _connected(self) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
        """The local socket; a process that is just being started is waited for."""
        until = time.monotonic() + STARTING
        while True:
            try:
                return await asyncio.open_unix_connection(str(self._address), limit=BUFFER)
            except OSError:
                if time.monotonic() > until:
                    raise
                await asyncio.sleep(0.2)


async def _to_fitting(receive: Receive, writer: asyncio.StreamWriter) -> tuple[int, str]:
    """A page's messages on to the fitting; ends when the page leaves or sends too many."""
    allowed, since = float(BURST), time.monotonic()
    with suppress(OSError):
        while (message := await receive())["type"] == "websocket.receive":
            now = time.monotonic()
            allowed, since = min(BURST, allowed + RATE * (now - since)) - 1, now
            if allowed < 0:
                return POLICY, f"more than {RATE} messages a second"
            text = message.get("text")
            writer.write(framed(message.get("bytes") or b"" if text is None else text.encode()))
            await writer.drain()
    return 1000, ""


async def _to_page(reader: asyncio.StreamReader, send: Send) -> tuple[int, str]:
    """The fitting's messages on to the page; ends when the process does, or when the page does not read."""
    try:
        while True:
            (length,) = LENGTH.unpack(await reader.readexactly(LENGTH.size))
            if length > LARGEST:
                return AWAY, "the process of live fittings said something without end"
            data = await reader.readexactly(length)
            await asyncio.wait_for(send({"type": "websocket.send", "bytes": data}), UNREAD)
    except TimeoutError:
        return POLICY, "what is sent is not read"
    except (asyncio.IncompleteReadError, OSError):
        return AWAY, "the process of live fittings ended: it is started again, wait a moment"


async def _close(send: Send, code: int, why: str) -> None:
    with suppress(Exception):  # it may have closed by itself
        await send({"type": "websocket.close", "code": code, "reason": why})
