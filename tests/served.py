"""A stand-in instrument that a test serves on a thread of its own, for as long as that test runs."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from contextlib import suppress
from socket import socket
from threading import Thread
from typing import Any
from unittest import TestCase

from tests.ports import free_port


def served(test: TestCase, serve: Callable[[int], Coroutine[Any, Any, None]]) -> int:
    """Serve what `serve(port)` serves and return the port, once it answers there.

    It is stopped at the end of the test: one that went on would take the other tests' time until the process ends.
    """
    port, loop = free_port(), asyncio.new_event_loop()

    def run() -> None:
        task = loop.create_task(serve(port))
        with suppress(asyncio.CancelledError):
            loop.run_until_complete(task)
        loop.run_until_complete(loop.shutdown_asyncgens())
        loop.close()

    def stop() -> None:
        # Clients that are still connected are cut off with it; asyncio would print a traceback for each.
        loop.set_exception_handler(lambda *_: None)
        loop.call_soon_threadsafe(lambda: [task.cancel() for task in asyncio.all_tasks(loop)])
        thread.join()

    thread = Thread(target=run, daemon=True)
    thread.start()
    test.addCleanup(stop)
    while True:
        with socket() as tried:
            if tried.connect_ex(("127.0.0.1", port)) == 0:
                return port
