"""A shop's installation as it runs for real, for tests that need processes: production's settings, gunicorn."""

from __future__ import annotations

import http.client
import json
import os
import re
import secrets
import shutil
import signal
import ssl
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path
from urllib.parse import urlencode

from tests.ports import free_port
from tests.runner import ROOT, alone, empty_database

PASSWORD = "three-wet-ferries"
STARTS_WITHIN_S = 60
BOUNDARY = "x" * 30
Fields, Files = dict[str, object], dict[str, tuple[str, bytes]]


class RunningShop:
    """A database and files of its own, and the program on them; started, killed and started again."""

    def __init__(self) -> None:
        self._folder = tempfile.TemporaryDirectory()
        self.place = Path(self._folder.name)
        self.port, self.served = free_port(), None
        self.environment = {
            **os.environ,
            "DJANGO_SETTINGS_MODULE": "rainfront.settings.production",
            "RAINFRONT_SECRET_KEY": secrets.token_urlsafe(50),
            "RAINFRONT_ALLOWED_HOSTS": "localhost",
            "RAINFRONT_DATABASE": str(self.place / "data" / "shop.sqlite3"),
            "PYTHONPATH": str(ROOT),
        }
        (self.place / "data").mkdir(mode=0o700)

    def close(self) -> None:
        """Stop it and remove everything."""
        self.kill(signal.SIGTERM)
        self._folder.cleanup()

    def run(self, *words: str, check: bool = True) -> str:
        """Run a command of `manage.py`; what it printed."""
        program = [sys.executable, str(ROOT / "manage.py"), *words]
        made = subprocess.run(program, env=self.environment, cwd=ROOT, capture_output=True, text=True, check=False)
        if check and made.returncode:
            raise AssertionError(f"{words}: {made.stdout[-500:]} {made.stderr[-1500:]}")
        return made.stdout + made.stderr

    def code(self, text: str) -> str:
        """Run Python in it; what it printed."""
        begin = "import django, json; django.setup()\nfrom django.utils import timezone\nnow = timezone.now()\n"
        program = [sys.executable, "-c", begin + text]
        made = subprocess.run(program, env=self.environment, cwd=ROOT, capture_output=True, text=True, check=False)
        if made.returncode:
            raise AssertionError(made.stderr[-2000:])
        return made.stdout.strip()

    def gather_static(self) -> None:
        """Static files by their hash, where a source is newer; never by two processes at once."""
        sources = [*ROOT.glob("rainfront/*/static/**/*"), *ROOT.glob("requirements/*.txt")]
        manifest = ROOT / "staticfiles" / "staticfiles.json"
        with alone("static"):
            if not manifest.exists() or manifest.stat().st_mtime < max(path.stat().st_mtime for path in sources):
                self.run("collectstatic", "--noinput", "--verbosity", "0")

    def people(self, names: dict[str, str]) -> None:
        """Make the database, and people by name and role, each signed in."""
        shutil.copy(empty_database(), self.environment["RAINFRONT_DATABASE"])
        self.gather_static()
        made = self.code(
            "import time\n"
            "from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY\n"
            "from rainfront.people.models import User\n"
            "from rainfront.people.sessions import SessionStore\n"
            "from django.contrib.auth.hashers import make_password\n"
            f"found, secret = {{}}, make_password({PASSWORD!r})\n"
            f"for name, role in {names!r}.items():\n"
            "    made = User(username=name, initials=name[:2].upper(), role=role, password=secret)\n"
            "    made.save()\n"
            "    session = SessionStore()\n"
            "    backend = 'django.contrib.auth.backends.ModelBackend'\n"
            "    session.update({SESSION_KEY: str(made.pk), BACKEND_SESSION_KEY: backend, 'idle_s': 5400,\n"
            "        HASH_SESSION_KEY: made.get_session_auth_hash(), 'seen': time.time(), 'since': time.time()})\n"
            "    session.create()\n"
            "    found[name] = session.session_key\n"
            "print(json.dumps(found))\n"
        )
        self.sessions: dict[str, str] = json.loads(made.splitlines()[-1])

    def person(self, name: str) -> Person:
        """Somebody who has signed in already, which costs seconds of hashing."""
        made = Person(self.port)
        made.cookies["sessionid"] = self.sessions[name]
        made.get("/people/rights/")
        return made

    def start(self, workers: int = 2) -> None:
        """Serve it, until it answers."""
        program = [
            str(Path(sys.executable).parent / "gunicorn"), "--config", "python:rainfront.served",
            "--bind", f"127.0.0.1:{self.port}", "--workers", str(workers), "--log-level", "critical",
        ]  # fmt: skip
        log = (self.place / "log").open("a")
        self.served = subprocess.Popen(
            program, env=self.environment, cwd=ROOT, stdout=log, stderr=log, start_new_session=True
        )
        end = time.monotonic() + STARTS_WITHIN_S
        while time.monotonic() < end:
            try:
                Person(self.port).get("/health/")
            except OSError:
                time.sleep(0.05)
            else:
                return
        raise AssertionError((self.place / "log").read_text()[-2000:])

    def kill(self, how: int = signal.SIGKILL) -> None:
        """End all its processes at once."""
        if self.served is not None and self.served.poll() is None:
            os.killpg(self.served.pid, how)
            self.served.wait(timeout=30)
        self.served = None


class Person:
    """Somebody with a browser's habits: cookies and tokens."""

    def __init__(self, port: int, tls: bool = False) -> None:
        self.port, self.tls = port, tls
        self.cookies: dict[str, str] = {}

    def _connection(self) -> http.client.HTTPConnection:
        if self.tls:
            trusting = ssl._create_unverified_context()
            return http.client.HTTPSConnection("localhost", self.port, timeout=30, context=trusting)
        return http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)

    def ask(self, method: str, path: str, body: bytes = b"", kind: str = "") -> tuple[int, str, bytes]:
        """One request: status, where it leads, and the page."""
        host = f"localhost:{self.port}" if self.tls else "localhost"
        headers = {"Host": host, "Cookie": "; ".join(f"{k}={v}" for k, v in self.cookies.items())}
        if not self.tls:
            headers["X-Forwarded-Proto"] = "https"
        if method == "POST":
            headers |= {
                "Content-Type": kind,
                "Referer": f"https://{host}{path}",
                "X-CSRFToken": self.cookies.get("csrftoken", ""),
            }
        connection = self._connection()
        try:
            connection.request(method, path, body or None, headers)
            answer = connection.getresponse()
            page = answer.read()
        finally:
            connection.close()
        told = " ".join(answer.headers.get_all("Set-Cookie") or ())
        self.cookies.update(re.findall(r"(csrftoken|sessionid)=([^;]*)", told))
        return answer.status, answer.headers.get("Location", ""), page

    def get(self, path: str) -> tuple[int, str, bytes]:
        """Look at a page."""
        return self.ask("GET", path)

    def post(self, path: str, fields: Fields, files: Files | None = None) -> tuple[int, str, bytes]:
        """Send a form."""
        if files is None:
            return self.ask("POST", path, urlencode(fields, doseq=True).encode(), "application/x-www-form-urlencoded")
        said = "Content-Disposition: form-data; name"
        parts = [f'--{BOUNDARY}\r\n{said}="{name}"\r\n\r\n{value}\r\n'.encode() for name, value in fields.items()]
        for name, (called, raw) in files.items():
            head = f'--{BOUNDARY}\r\n{said}="{name}"; filename="{called}"\r\n\r\n'
            parts.append(head.encode() + raw + b"\r\n")
        body = b"".join([*parts, f"--{BOUNDARY}--\r\n".encode()])
        return self.ask("POST", path, body, f"multipart/form-data; boundary={BOUNDARY}")

    def sign_in(self, name: str) -> Person:
        """With the password that everybody here has."""
        self.get("/people/sign-in/")
        status, where, page = self.post("/people/sign-in/", {"username": name, "password": PASSWORD})
        assert status == 302, (status, where, page[-600:])
        return self


def at_once(works: list[object]) -> list[object]:
    """Run callables at the same moment; what each returned, or the error it raised."""
    gate, out = threading.Barrier(len(works)), [None] * len(works)

    def run(index: int) -> None:
        gate.wait()
        try:
            out[index] = works[index]()  # type: ignore[operator]
        except Exception as error:
            out[index] = error

    threads = [threading.Thread(target=run, args=(index,)) for index in range(len(works))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return out
