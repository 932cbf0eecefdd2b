"""A serial instrument of another computer: proved on both sides, one client at a time, safe when that has gone."""

import os
import pty
import select
import socket
import ssl
import subprocess
import sys
import threading
import time
import tty
from contextlib import suppress
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.test import SimpleTestCase

from benchtalk import bridge
from benchtalk.instrument import Instrument
from benchtalk.standing_in import StandingIn
from benchtalk.trouble import Trouble, TroubleKind
from benchtalk.wire import BRIDGE, SERIAL, WirePlace, open_wire
from tests.ports import free_port
from tests.runner import ROOT
from tests.talk.rigs import Known, is_false, profile_of
from tests.watched import until

SECRET = "a-secret-of-thirty-two-letters-00"


class Bridged(SimpleTestCase):
    def setUp(self):
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.heard = []

    def serve(self, talker=None, safe=(), tls=None):
        """A bridge before a stand-in, or before a bare line whose other end is kept; where it is."""
        if talker is None:
            master, slave = pty.openpty()
            tty.setraw(slave)
            self.addCleanup(os.close, slave)
            self.addCleanup(os.close, master)
            self.master, path = master, os.ttyname(slave)
        else:
            standing = StandingIn(talker, SERIAL, self.folder / "line").start()
            self.addCleanup(standing.stop)
            path = str(self.folder / "line")
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)
        served = bridge.Bridge(lambda: bridge.serial_line(path, 115_200), SECRET, safe, tls)
        threading.Thread(target=served.serve, args=(listening,), daemon=True).start()
        return WirePlace(BRIDGE, "127.0.0.1", listening.getsockname()[1], secret=SECRET)

    def kind(self, place):
        with self.assertRaises(Trouble) as caught:
            open_wire(place)
        return caught.exception.kind

    def test_an_instrument_behind_it_is_read_as_one_that_is_near(self):
        made = Instrument(profile_of("ask"), self.serve(Known(0.0)))
        self.addCleanup(made.close)
        made.open()
        for quantity in ("volts", "amps", "volts"):
            self.assertFalse(is_false(quantity, made.read(quantity).value))

    def test_who_does_not_know_the_secret_gets_nothing_and_the_secret_is_never_sent(self):
        place = self.serve()
        wrong = WirePlace(BRIDGE, place.host, place.port, secret="another-secret-of-such-a-length")
        self.assertEqual(self.kind(wrong), TroubleKind.REFUSED)
        with socket.create_connection((place.host, place.port), timeout=5) as made:
            hello = made.recv(200)
            made.sendall(b"0 0\nOUTP ON\n")
            with suppress(ConnectionResetError):
                self.assertEqual(made.recv(200), b"")
        self.assertNotIn(SECRET.encode(), hello)
        self.assertFalse(select.select([self.master], [], [], 0.3)[0])
        # Two greetings are never alike, so that what one has overheard is of no use.
        with socket.create_connection((place.host, place.port), timeout=5) as made:
            self.assertNotEqual(made.recv(200), hello)

    def test_what_is_no_bridge_of_this_shop_is_told_nothing(self):
        listening = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(listening.close)

        def pretend():
            made, _ = listening.accept()
            made.sendall(bridge.HELLO + b"00ff\n")
            made.recv(300)
            made.sendall(bridge.WELCOME + b"0" * 64 + b"\n")

        threading.Thread(target=pretend, daemon=True).start()
        place = WirePlace(BRIDGE, "127.0.0.1", listening.getsockname()[1], secret=SECRET)
        self.assertEqual(self.kind(place), TroubleKind.OTHER)

    def test_one_client_at_a_time_and_the_safe_lines_once_it_has_gone(self):
        place = self.serve(safe=("OUTP OFF",))
        first = open_wire(place)
        self.assertEqual(self.kind(place), TroubleKind.REFUSED)
        first.send(b"OUTP ON\n")
        until(lambda: select.select([self.master], [], [], 0)[0])
        self.assertEqual(os.read(self.master, 100), b"OUTP ON\n")
        first.close()
        until(lambda: select.select([self.master], [], [], 0)[0])
        self.assertEqual(os.read(self.master, 100), b"OUTP OFF\n")

        def again():
            try:
                open_wire(place).close()
            except Trouble:
                return False
            return True

        until(again)

    def test_a_client_that_says_nothing_any_more_is_gone_where_something_has_to_be_made_safe(self):
        with patch.object(bridge, "LEASE_S", 0.3):
            frozen = open_wire(self.serve(safe=("OUTP OFF",)))
            self.addCleanup(frozen.close)
            until(lambda: select.select([self.master], [], [], 0)[0])
            self.assertEqual(os.read(self.master, 100), b"OUTP OFF\n")

    def test_beyond_this_computer_only_with_a_certificate_and_only_with_the_one_that_is_known(self):
        pem, key = self.folder / "c.pem", self.folder / "k.pem"
        words = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=bench"]
        subprocess.run([*words, "-keyout", key, "-out", pem], check=True, capture_output=True)
        tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        tls.load_cert_chain(pem, key)
        pin = bridge.fingerprint(ssl.PEM_cert_to_DER_cert(pem.read_text()))
        near = self.serve(Known(0.0), tls=tls)
        place = WirePlace(BRIDGE, near.host, near.port, secret=SECRET, pin=pin)
        made = Instrument(profile_of("ask"), place)
        self.addCleanup(made.close)
        made.open()
        self.assertFalse(is_false("volts", made.read("volts").value))
        made.close()
        other = WirePlace(BRIDGE, near.host, near.port, secret=SECRET, pin="0" * 64)
        self.assertEqual(self.kind(other), TroubleKind.OTHER)
        for words, secret, says in (
            (["/dev/null", "--host", "0.0.0.0"], SECRET, "with --cert only"),
            (["/dev/null"], "", "Set RAINFRONT_BRIDGE_SECRET"),
        ):
            run = [sys.executable, "-m", "benchtalk.bridge", *words]
            told = {**os.environ, bridge.TOLD_BY: secret}
            ended = subprocess.run(run, cwd=ROOT, env=told, capture_output=True, text=True, timeout=30)
            self.assertEqual(ended.returncode, 2)
            self.assertIn(says, ended.stderr)

    def test_the_command_serves_a_line_from_its_one_file(self):
        standing = StandingIn(Known(0.0), SERIAL, self.folder / "line").start()
        self.addCleanup(standing.stop)
        alone = self.folder / "bridge.py"
        alone.write_bytes((ROOT / "benchtalk" / "bridge.py").read_bytes())
        port = free_port()
        words = [sys.executable, str(alone), str(self.folder / "line"), "--port", str(port), "--baud", "115200"]
        process = subprocess.Popen(words, env={**os.environ, bridge.TOLD_BY: SECRET}, stdout=subprocess.DEVNULL)
        self.addCleanup(process.wait)
        self.addCleanup(process.terminate)
        made = Instrument(profile_of("ask"), WirePlace(BRIDGE, "127.0.0.1", port, secret=SECRET))
        self.addCleanup(made.close)

        def opened():
            try:
                made.open()
            except Trouble:
                time.sleep(0.1)
                return False
            return True

        until(opened)
        self.assertFalse(is_false("amps", made.read("amps").value))
