"""Print the first free port of this machine from the given one upwards."""

import socket
import sys

first = int(sys.argv[1])
for port in range(first, min(first + 200, 65536)):
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            continue
        print(port)
        break
else:
    sys.exit(f"No free port from {first} on; set PORT to another one, as in: PORT=9000 make demo")
