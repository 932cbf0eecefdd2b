"""What is compiled, made ready before somebody waits for it."""

from chargepath.decision import kernel
from chargepath.repair import network


def get_ready() -> None:
    """Compile everything that is compiled, or read it from where it was kept."""
    kernel.get_ready()
    network.get_ready()
