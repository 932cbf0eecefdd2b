"""The demo as it is started for real, in a folder of its own, for tests that look at all of it."""

from __future__ import annotations

import os
import shutil
import subprocess
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase
from playwright.sync_api import Browser, Page

from tests.browser.driver import CHROMIUM, PATIENCE_MS
from tests.ports import free_port
from tests.runner import ROOT, empty_database, share

# How long the demo may take to be loaded and served [s].
STARTS_WITHIN = 240


def _start_demo(folder: Path) -> tuple[int, str]:
    """`scripts/serve_demo.sh` on a database of its own, which was migrated already."""
    database, log = folder / "demo.sqlite3", folder / "log"
    shutil.copy(empty_database(), database)
    made = {"RAINFRONT_DEMO_DATABASE": str(database), "PORT": str(free_port()), "METER_PORT": str(free_port())}
    with log.open("w") as out:
        script = [ROOT / "scripts" / "serve_demo.sh"]
        started = subprocess.Popen(
            script, env={**os.environ, **made}, stdout=out, stderr=out, cwd=ROOT, start_new_session=True
        )
    end = time.monotonic() + STARTS_WITHIN
    while time.monotonic() < end:
        found = [word for word in log.read_text(encoding="utf-8").split() if word.startswith("http://")]
        if found:
            try:
                urllib.request.urlopen(f"{found[0]}people/sign-in/", timeout=5).close()
                return started.pid, found[0].rstrip("/")
            except OSError:
                pass
        time.sleep(0.25)
    raise AssertionError(f"the demo did not start: {log.read_text(encoding='utf-8')[-2000:]}")


class ServedDemo(SimpleTestCase):
    """Drives the demo as it is started for real; all tests share it, so none may take away what another looks at."""

    def drive(self, steps: Callable[[Page], Any], who: str = "lead", **context: Any) -> Any:
        """Run `steps(page)`, signed in, on the browser's thread; anything on the console is a failure."""

        address = share(_start_demo)

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
