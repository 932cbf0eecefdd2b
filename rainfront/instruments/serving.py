"""Serving a stand-in instrument's lines over TCP on this machine."""

from __future__ import annotations

import asyncio
from typing import Protocol


class Speaking(Protocol):
    """What a stand-in speaks: a greeting, a line a tick, an answer a command."""

    def hello(self) -> str:
        """The line that greets a client."""
        ...

    def sample(self) -> str:
        """The line of one tick."""
        ...

    def command(self, line: str) -> str:
        """The answer to a command's line."""
        ...


async def serve(instrument: Speaking, port: int, rate: float) -> None:
    """One instrument, any number of clients; each gets every sample."""
    clients: set[asyncio.StreamWriter] = set()

    async def greet(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(instrument.hello().encode() + b"\n")
        clients.add(writer)
        try:
            while line := await reader.readline():
                writer.write(instrument.command(line.decode("utf-8", errors="replace")).encode() + b"\n")
        except (OSError, ValueError, asyncio.LimitOverrunError):
            pass
        finally:
            clients.discard(writer)
            writer.close()

    server = await asyncio.start_server(greet, "127.0.0.1", port, limit=4096)
    async with server:
        loop = asyncio.get_running_loop()
        due = loop.time()
        while True:
            due += 1 / rate
            await asyncio.sleep(max(due - loop.time(), 0))
            line = instrument.sample().encode() + b"\n"
            for writer in list(clients):
                if writer.transport.get_write_buffer_size() > 1_000_000:
                    writer.close()
                    clients.discard(writer)
                else:
                    writer.write(line)


class Answering(Protocol):
    """What a stand-in speaks that only answers: a line in, a line or nothing out, and time that passes."""

    def command(self, line: str) -> str | None:
        """The answer to a line, None for none."""
        ...

    def speaks(self, line: str) -> str:
        """How the answer goes wrong on its way, '' where it does not."""
        ...

    def hung_up(self) -> None:
        """A client that asked to be missed has gone."""
        ...

    def tick(self, seconds: float) -> None:
        """Let time pass."""
        ...


DRIP_S, LATE_S, MISSED = 0.3, 2.5, "OUTP:HANG 1"


async def _utter(writer: asyncio.StreamWriter, answer: str, how: str) -> None:
    """Send an answer, or what becomes of it on a bad line."""
    whole = answer.encode() + b"\n"
    if how == "hang_up":
        writer.close()
        return
    while how in ("drip", "endless") and not writer.is_closing():
        # A byte now and then, or as many as go through, and never the end of the line.
        writer.write(b"1" if how == "drip" else b"1" * 4096)
        await writer.drain()
        await asyncio.sleep(DRIP_S if how == "drip" else 0.001)
    if how == "late":
        await asyncio.sleep(LATE_S)
    if not writer.is_closing():
        writer.write(whole * (2 if how == "double" else 1))


async def serve_answers(instrument: Answering, port: int, rate: float = 10.0) -> None:
    """One instrument that answers, any number of clients."""

    async def talk(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        missed, under_way = False, set()
        try:
            while raw := await reader.readline():
                line = raw.decode("utf-8", errors="replace")
                missed = missed or line.strip().upper().startswith(MISSED)
                answer = instrument.command(line)
                if answer is None:
                    continue
                how = instrument.speaks(line)
                if how:
                    uttering = asyncio.get_running_loop().create_task(_utter(writer, answer, how))
                    under_way.add(uttering)
                    uttering.add_done_callback(under_way.discard)
                else:
                    writer.write(answer.encode() + b"\n")
        except (OSError, ValueError, asyncio.LimitOverrunError):
            pass
        finally:
            for uttering in under_way:
                uttering.cancel()
            if missed:
                instrument.hung_up()
            writer.close()

    server = await asyncio.start_server(talk, "127.0.0.1", port, limit=4096)
    async with server:
        loop = asyncio.get_running_loop()
        last = loop.time()
        while True:
            await asyncio.sleep(1 / rate)
            now = loop.time()
            instrument.tick(now - last)
            last = now
