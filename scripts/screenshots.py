"""Renew docs/screenshots from the demo data: a fresh demo database, served and photographed."""

import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
SHOTS = ROOT / "docs" / "screenshots"
VIEWS = {
    "jobs": "/",
    "logbook": "/logbook/?q=lint",
    "insights": "/insights/",
    "take-in": "/jobs/new/",
    "bench": "/jobs/402/",
    "steps": "/jobs/415/repair/",
    "screws": "/jobs/419/screws/",
    "prove": "/jobs/420/prove/?item=speaker",
    "report": "/jobs/413/papers/report/",
    "record-chart": "/jobs/401/records/102/",
    "sheet": "/jobs/402/inside/sheets/101/",
    "heat": "/heat/?target=closed_thick&set_c=370&plate_c=150&soak_s=120",
    "cell": "/jobs/403/cell/?kind=v435&capacity=3000&volts=2.8&temp=22&by=supply",
    "decide": "/jobs/402/decide/",
    "board": "/jobs/422/board/?probe=usb_c@pads@A6",
    "knowledge": "/knowledge/",
    "shelf": "/stock/",
}
DARK = {"danger": "/jobs/412/"}
PHONE = {"phone": "/jobs/401/"}
SETS = (("light", VIEWS, (1280, 800)), ("dark", DARK, (1280, 800)), ("light", PHONE, (390, 844)))


def main() -> None:
    """Serve the demo on a free port and take each picture."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "RAINFRONT_DEMO_DATABASE": f"{folder}/demo.sqlite3", "PORT": "8300"}
        with open(f"{folder}/log", "w+", encoding="utf-8") as log:
            server = subprocess.Popen([ROOT / "scripts" / "serve_demo.sh"], env=environment, stdout=log, stderr=log)
            try:
                shoot(wait_for(Path(log.name)))
            finally:
                server.terminate()
                server.wait(timeout=20)


def wait_for(log: Path) -> str:
    """Return the address that the demo prints once it answers there."""
    for _ in range(360):
        found = [word for word in log.read_text(encoding="utf-8").split() if word.startswith("http://")]
        if found:
            try:
                urllib.request.urlopen(found[0] + "people/sign-in/", timeout=2).close()  # noqa: S310
                return found[0].rstrip("/")
            except OSError:
                pass
        time.sleep(0.5)
    sys.exit(f"the demo did not start:\n{log.read_text(encoding='utf-8')}")


def settle(page: Page, address: str) -> None:
    """Wait until the working process has taken everything up."""
    for path, words in (("/", "being reckoned"), ("/logbook/", "taken up")):
        for _ in range(120):
            page.goto(address + path)
            if words not in page.inner_text("main"):
                break
            time.sleep(0.5)


def shoot(address: str) -> None:
    """Take the pictures, at 1280x800 and as on a phone."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox"])
        for scheme, views, (width, height) in SETS:
            page = browser.new_context(
                viewport={"width": width, "height": height}, color_scheme="dark" if scheme == "dark" else "light"
            ).new_page()
            page.goto(f"{address}/people/sign-in/")
            page.fill("#id_username", "tech")
            page.fill("#id_password", "rainfront")
            page.keyboard.press("Enter")
            page.wait_for_selector("header form button")
            settle(page, address)
            for name, path in views.items():
                page.goto(address + path)
                page.wait_for_timeout(1000)
                page.screenshot(path=SHOTS / f"{name}.png")
        browser.close()


if __name__ == "__main__":
    main()
