"""Looking for what announces itself, on this computer's own loopback with real packets."""

import socket

from django.test import SimpleTestCase
from zeroconf import IPVersion, ServiceInfo, Zeroconf

from benchtalk.looking import SERVICES, Announced, look_for, own_addresses
from tests.sizes import exhaustive


class Looking(SimpleTestCase):
    def test_the_interfaces_of_this_computer_have_their_names_and_loopback_comes_last(self):
        found = own_addresses()
        self.assertEqual(found[-1][0].split(".")[0], "127")

    @exhaustive
    def test_what_announces_itself_is_found_with_its_address(self):
        announcing = Zeroconf(interfaces=["127.0.0.1"], ip_version=IPVersion.V4Only)
        self.addCleanup(announcing.close)
        for name, kind, port in (
            ("Bench 5", SERVICES[0], 5025),
            ("Old", SERVICES[1], 5024),
            ("Web", "_http._tcp.local.", 80),
        ):
            info = ServiceInfo(kind, f"{name}.{kind}", addresses=[socket.inet_aton("127.0.0.1")], port=port)
            announcing.register_service(info)
        found = look_for("127.0.0.1", 4.0)
        self.assertEqual(found, [Announced("Bench 5", "127.0.0.1", 5025), Announced("Old", "127.0.0.1", 5024)])
        with self.assertRaises(OSError):
            look_for("192.0.2.99", 0.5)
