"""A simulated USB power meter on this machine, a process of its own."""

from __future__ import annotations

import asyncio
import contextlib
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from chargepath.standin.meter import StandinMeter


class Command(BaseCommand):
    """Serve the stand-in meter's lines over TCP (docs/meter-protocol.md)."""

    help = "Serve a simulated USB power meter over TCP on this machine."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: CommandParser) -> None:
        """Port."""
        parser.add_argument("--port", type=int, default=7711)

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until interrupted."""
        with contextlib.suppress(KeyboardInterrupt):
            asyncio.run(serve(options["port"]))


async def serve(port: int) -> None:
    """One device, any number of clients; each gets every sample."""
    meter, clients = StandinMeter(), set()

    async def greet(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        writer.write(meter.hello().encode() + b"\n")
        clients.add(writer)
        try:
            while line := await reader.readline():
                writer.write(meter.command(line.decode("utf-8", errors="replace")).encode() + b"\n")
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
            due += 1 / meter.rate
            await asyncio.sleep(max(due - loop.time(), 0))
            line = meter.sample().encode() + b"\n"
            for writer in list(clients):
                if writer.transport.get_write_buffer_size() > 1_000_000:
                    writer.close()
                    clients.discard(writer)
                else:
                    writer.write(line)
