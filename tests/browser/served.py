"""The demo as it is started for real, in a folder of its own, for tests that look at all of it."""

from __future__ import annotations

import atexit
import os
import signal
import subprocess
import tempfile
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase
from playwright.sync_api import Browser, Page

from tests.browser.driver import CHROMIUM, PATIENCE_MS

ROOT = Path(__file__).resolve().parents[2]
# How long the demo may take to be loaded and served [s].
STARTS_WITHIN = 240


class _Demo:
    """`scripts/serve_demo.sh` from a fresh database, from the first test that needs it to the end of the process."""

    def __init__(self) -> None:
        self._address = ""

    def address(self) -> str:
        """Where it answers."""
        if not self._address:
            self._address = self._start()
        return self._address

    def _start(self) -> str:
        folder = tempfile.TemporaryDirectory()
        log = Path(folder.name) / "log"
        made = {"RAINFRONT_DEMO_DATABASE": f"{folder.name}/demo.sqlite3", "PORT": "8500", "METER_PORT": "7911"}
        with log.open("w") as out:
            script = [ROOT / "scripts" / "serve_demo.sh"]
            started = subprocess.Popen(
                script, env={**os.environ, **made}, stdout=out, stderr=out, cwd=ROOT, start_new_session=True
            )

        def stop() -> None:
            os.killpg(started.pid, signal.SIGTERM)
            started.wait(timeout=20)
            folder.cleanup()

        atexit.register(stop)
        return self._wait_for(log)

    def _wait_for(self, log: Path) -> str:
        end = time.monotonic() + STARTS_WITHIN
        while time.monotonic() < end:
            found = [word for word in log.read_text(encoding="utf-8").split() if word.startswith("http://")]
            if found:
                try:
                    urllib.request.urlopen(f"{found[0]}people/sign-in/", timeout=5).close()
                    return found[0].rstrip("/")
                except OSError:
                    pass
            time.sleep(0.25)
        raise AssertionError(f"the demo did not start: {log.read_text(encoding='utf-8')[-2000:]}")


DEMO = _Demo()


class ServedDemo(SimpleTestCase):
    """Drives the demo as it is started for real; all tests share it, so none may take away what another looks at."""

    def drive(self, steps: Callable[[Page], Any], who: str = "lead", **context: Any) -> Any:
        """Run `steps(page)`, signed in, on the browser's thread; anything on the console is a failure."""

        address = DEMO.address()

        def job(browser: Browser) -> Any:
            given = {"viewport": {"width": 1280, "height": 800}, "reduced_motion": "reduce", **context}
            made = browser.new_context(base_url=address, **given)
            made.set_default_timeout(PATIENCE_MS)
            page, said = made.new_page(), []
            page.on("console", lambda one: said.append(f"{page.url}: {one.text}") if one.type == "error" else None)
            page.on("pageerror", lambda error: said.append(f"{page.url}: {error}"))
            try:
                page.goto("/people/sign-in/")
                page.fill("#id_username", who)
                page.fill("#id_password", "rainfront")
                page.keyboard.press("Enter")
                page.wait_for_selector("header form button")
                result = steps(page)
            finally:
                made.close()
            self.assertEqual(said, [])
            return result

        return CHROMIUM.run(job, within=3600)
