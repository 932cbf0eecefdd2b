"""The proxy that belongs to the program: who sends half a request, or too much, holds nobody up.

`deploy/nginx.conf` as it is copied in a shop, with only names, ports and folders put in: a port other than 443 is one
that the program has to know of, since it compares the address a form comes from with its own.
"""

import shutil
import socket
import ssl
import subprocess
import time
import unittest
from contextlib import ExitStack

from django.test import SimpleTestCase
from django.urls import resolve, reverse

from chargepath.case.file import MAX_BYTES
from rainfront.web.uploads import SPARE_BYTES
from tests.fuzz.pages import PLACES, every_address
from tests.ports import free_port
from tests.shop import ROOT, Person, RunningShop

HALF = (
    "POST /people/sign-in/ HTTP/1.1\r\nHost: localhost\r\nContent-Length: 5000\r\nContent-Type: text/plain\r\n\r\nhalf"
)


@unittest.skipUnless(shutil.which("nginx"), "needs nginx: make dev installs it")
class FrontDoor(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        cls.shop = RunningShop()
        cls.addClassCleanup(cls.shop.close)
        cls.shop.people({"tech": "technician"})
        cls.shop.start(workers=1)
        cls.plain, cls.port = free_port(), free_port()
        place = cls.shop.place
        made = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=localhost"]
        subprocess.run(
            [*made, "-keyout", place / "key.pem", "-out", place / "cert.pem"], check=True, capture_output=True
        )
        site = (ROOT / "deploy" / "nginx.conf").read_text()
        for was, now in (
            ("unix:/run/rainfront/socket", f"127.0.0.1:{cls.shop.port}"),
            ("listen 80;", f"listen 127.0.0.1:{cls.plain};"),
            ("listen 443 ssl;", f"listen 127.0.0.1:{cls.port} ssl;"),
            ("bench.example", "localhost"),
            ("/etc/ssl/rainfront/", f"{place}/"),
        ):
            assert was in site, was
            site = site.replace(was, now)
        temps = "".join(
            f"{kind}_temp_path {place}/{kind};" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
        )
        (place / "nginx.conf").write_text(
            f"user root; daemon off; pid {place}/nginx.pid; error_log {place}/nginx.log;\nevents {{}}\n"
            f"http {{ access_log off; {temps}\n{site} }}\n"
        )
        cls.proxy = subprocess.Popen(["nginx", "-c", place / "nginx.conf", "-p", place], stderr=subprocess.DEVNULL)
        cls.addClassCleanup(cls.proxy.wait)
        cls.addClassCleanup(cls.proxy.terminate)
        for _ in range(200):
            try:
                socket.create_connection(("127.0.0.1", cls.port), timeout=1).close()
                break
            except OSError:
                time.sleep(0.05)
        super().setUpClass()

    def talk(self):
        """A connection to speak to by hand."""
        made = socket.create_connection(("127.0.0.1", self.port), timeout=30)
        return ssl._create_unverified_context().wrap_socket(made, server_hostname="localhost")

    def test_sixteen_half_sent_requests_hold_nobody_up(self):
        with ExitStack() as held:
            for _ in range(16):
                made = held.enter_context(self.talk())
                made.sendall(HALF.encode())
            begun = time.monotonic()
            status, _, page = Person(self.port, tls=True).sign_in("tech").get("/")
            self.assertEqual((status, b"Jobs" in page), (200, True))
            self.assertLess(time.monotonic() - begun, 8)

    def test_what_is_too_large_or_from_nobody_is_refused_before_it_is_read(self):
        body = self.shop.place / "client_body"
        for path, length, says in (
            ("/jobs/1/records/hand-in/", 100_000_000, "303 See Other"),
            ("/jobs/1/records/hand-in/", 200_000_000, "413 "),
            ("/jobs/1/photos/", 24_000_000, "303 See Other"),
            ("/people/sign-in/", 100_000_000, "413 "),
        ):
            with self.subTest(path=path, length=length), self.talk() as made:
                head = f"POST {path} HTTP/1.1\r\nHost: localhost\r\nContent-Length: {length}\r\n\r\n"
                made.sendall(head.encode() + b"x" * 1000)
                self.assertIn(says, made.recv(4000).decode().split("\r\n")[0])
        kept = sum(file.stat().st_size for file in body.rglob("*") if file.is_file()) if body.exists() else 0
        self.assertLess(kept, 1_000_000)

    def test_every_upload_is_let_through_as_large_as_the_program_takes_it_and_no_larger(self):
        person, found = Person(self.port, tls=True).sign_in("tech"), {}
        for name, places in every_address():
            path = reverse(name, args=[PLACES.get(place, 1) for place in places])
            found[path] = getattr(resolve(path).func, "takes_bytes", MAX_BYTES) + SPARE_BYTES
        self.assertEqual(len([size for size in found.values() if size > MAX_BYTES + SPARE_BYTES]), 11)
        cookies = "; ".join(f"{name}={value}" for name, value in person.cookies.items())
        for path, size in found.items():
            if size == MAX_BYTES + SPARE_BYTES and path not in ("/jobs/import/", "/stock/import/"):
                continue
            for length, says in ((size, "100 Continue"), (max(size * 3 // 2, size + 10_000_000), "413 ")):
                with self.subTest(path=path, length=length), self.talk() as made:
                    head = f"POST {path} HTTP/1.1\r\nHost: localhost\r\nCookie: {cookies}\r\n"
                    made.sendall(f"{head}Content-Length: {length}\r\nExpect: 100-continue\r\n\r\n".encode())
                    self.assertIn(says, made.recv(4000).decode().split("\r\n")[0])

    def test_who_is_signed_in_hands_in_a_large_record_and_is_told_when_it_is_too_large_for_a_photo(self):
        person = Person(self.port, tls=True).sign_in("tech")
        status, where, _ = person.post("/jobs/new/", {
            "model_name": "Tarn 4", "customer": "purser", "kind": "phone", "connector": "usb_c", "carrier": "flex",
            "value": "210", "complaint": "no charge", "backup": "done",
        })  # fmt: skip
        self.assertEqual(status, 302)
        rows = b"seconds,amps\n" + b"".join(b"%d,1.0\n" % second for second in range(400_000))
        status, where, page = person.post(f"{where}records/hand-in/", {}, {"file": ("long.csv", rows)})
        self.assertEqual((status, "drafts" in where), (302, True), page[-300:])

    def test_plain_connections_are_led_to_https_and_the_program_knows_its_proxy(self):
        with socket.create_connection(("127.0.0.1", self.plain), timeout=30) as made:
            made.sendall(b"GET /jobs/1/ HTTP/1.1\r\nHost: localhost\r\n\r\n")
            self.assertIn("https://localhost/jobs/1/", made.recv(2000).decode())
        self.assertIn(b'"proxy": true', Person(self.port, tls=True).get("/health/")[2])
