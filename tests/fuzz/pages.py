"""Every address on hostile input: answered, soon, never with a 500, and every page still opens afterwards."""

from __future__ import annotations

import re
import time
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from django.urls import Resolver404, URLPattern, get_resolver, resolve, reverse

from tests.fuzz.parsers import CASE, LONGEST_S
from tests.fuzz.words import Source

# What a file is called that is handed in.
FILES = ("a.csv", "a.json", "board.jpg", "../../a", "con.txt", "a" * 200 + ".png", "pin 1234.csv")
# Signing out would end the run; addresses of files and meters are tried apart.
LEFT_OUT = {
    "people:sign_out",
    "people:password",
    "people:time_codes",
    "people:reset",
    "people:person",
    "instruments:command",
}
ACTION = re.compile(rb' action="([^"]+)"')
NAMED = re.compile(rb'<(?:input|select|textarea|button)[^>]* name="([\w-]+)"[^>]*?(?: value="([^"]{0,60})")?')
# What fills the places of an address.
PLACES = {
    "slug:check": "port_look",
    "slug:route": "clean_port",
    "slug:fault": "port_fouled",
    "slug:stem": "wording",
    "slug:routine": "wiggle",
    "slug:map_id": "usb_c",
    "slug:kind": "report",
    "path:name": "Quillan P2",
    "uidb64": "MQ",
    "token": "none",
}


def every_address() -> list[tuple[str, list[str]]]:
    """Name of each address of the program and what its places take."""

    def walk(resolver: Any, space: str = "") -> Any:
        for pattern in resolver.url_patterns:
            if isinstance(pattern, URLPattern):
                yield f"{space}:{pattern.name}", re.findall(r"<([^>]+)>", str(pattern.pattern))
            else:
                yield from walk(pattern, pattern.namespace or space)

    return list(walk(get_resolver()))


def addresses() -> list[tuple[str, list[str]]]:
    """The same without those that a run leaves out."""
    return [(name, places) for name, places in every_address() if name not in LEFT_OUT]


class Walk:
    """A person without scruples at the program's pages: `jobs` are there, everything else is found on the pages."""

    def __init__(self, client: Client, jobs: list[int], words: dict[str, list[str]]) -> None:
        self.client, self.jobs, self.words = client, jobs, words
        self.names: dict[str, dict[str, list[str]]] = {}
        self.looks: set[str] = set()
        self.addresses = addresses()

    def place(self, source: Source, place: str) -> object:
        """Something for a place of an address, right more often than not."""
        kind, _, name = place.rpartition(":")
        if kind == "int":
            small = source.draw.choice((1, 2, 3, 7))
            usual = source.draw.choice(self.jobs) if name == "job" or source.draw.random() < 0.5 else small
            return usual if source.draw.random() < 0.95 else source.draw.choice((0, 10**17, 10**18 - 1))
        found = self.words.get(name)
        if found and source.draw.random() < 0.9:
            return source.draw.choice(found)
        return re.sub(r"[^a-z0-9_-]", "", source.word())[:60] or "x"

    def fields(self, source: Source, view: str) -> dict[str, Any]:
        """Fields as the pages name them, with what people should not write."""
        sent: dict[str, Any] = {}
        for name, kept in self.names.get(view, {"line": [], "text": [], "why": []}).items():
            if source.draw.random() < 0.1:
                continue
            sent[name] = source.draw.choice(kept) if kept and source.draw.random() < 0.7 else source.line()
            if not kept and source.draw.random() < 0.4:
                sent[name] = source.draw.choice(("", "12", "3,5", "Tarn 4", "K.M.", "2026-03-01T10:00"))
        if source.draw.random() < 0.15:
            raw = source.draw.choice((source.table(), CASE, source.bent(CASE), source.line())).encode(
                "utf-8", "replace"
            )
            sent["file"] = SimpleUploadedFile(source.draw.choice(FILES), raw)
        return sent

    def learn(self, page: str, content: bytes) -> None:
        """Remember how the fields of a page's forms are called and what they take."""
        for form in content.split(b"<form")[1:]:
            form = form.split(b"</form>")[0]
            action = ACTION.search(form.split(b">")[0])
            view = page
            if action:
                try:
                    view = resolve(action[1].decode().split("?")[0]).view_name
                except (Resolver404, UnicodeDecodeError):
                    continue
            names = self.names.setdefault(view, {})
            for name, value in NAMED.findall(form):
                if name not in (b"csrfmiddlewaretoken", b"once") and len(names) < 80:
                    kept = names.setdefault(name.decode(), [])
                    if value and len(kept) < 12 and value.decode("utf-8", "replace") not in kept:
                        kept.append(value.decode("utf-8", "replace"))

    def step(self, seed: int) -> str:
        """One request; what was wrong with its answer, or ''."""
        source = Source(seed)
        name, places = source.draw.choice(self.addresses)
        path = reverse(name, args=[self.place(source, place) for place in places])
        posts = name not in self.looks and source.draw.random() < 0.75
        headers = {"HX-Request": "true"} if source.draw.random() < 0.3 else {}
        begun = time.perf_counter()
        try:
            if posts:
                answer = self.client.post(path, self.fields(source, name), headers=headers)
            else:
                asked = {key: source.word() for key in ("q", "step", "item", "station", "line", "sort")}
                answer = self.client.get(path, asked if source.draw.random() < 0.5 else {}, headers=headers)
            content = b"".join(answer.streaming_content) if answer.streaming else answer.content
        except Exception as error:
            return f"{name}, seed {seed}: {type(error).__name__}: {str(error)[:200]}"
        took = time.perf_counter() - begun
        self.learn(name, content)
        if posts and answer.status_code == 405:
            self.looks.add(name)
        if answer.status_code >= 500:
            return f"{name}, seed {seed}: {answer.status_code}"
        if "json" in answer.headers.get("Content-Type", "") and re.search(rb"\b(NaN|Infinity)\b", content):
            return f"{name}, seed {seed}: what is no number on the page"
        return f"{name}, seed {seed}: took {took:.1f} s" if took > LONGEST_S else ""

    def run(self, seed: int, count: int) -> list[str]:
        """So many requests; what was wrong."""
        return [wrong for number in range(count) if (wrong := self.step(seed + number))]

    def open_all(self) -> list[str]:
        """Every page of every job that is there now; those that do not open."""
        wrong = []
        for name, places in self.addresses:
            of_job = name.split(":")[0] in ("jobs", "inside", "instruments", "counter")
            if of_job and len(places) == 1 and places[0] in ("int:pk", "int:job"):
                for job in self.jobs:
                    answer = self.client.get(reverse(name, args=[job]))
                    self.learn(name, answer.getvalue())
                    wrong += [f"{name} of job {job}: {answer.status_code}"] if answer.status_code >= 500 else []
        return wrong
