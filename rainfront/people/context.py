"""Template context on every page."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest

from rainfront.people.models import Workshop


class _Lazy:
    """The workshop, fetched once a request and only where a template asks."""

    def __init__(self) -> None:
        self._workshop: Workshop | None = None

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__") or name == "_workshop":
            raise AttributeError(name)
        if self._workshop is None:
            self._workshop = Workshop.current()
        return getattr(self._workshop, name)


def workshop(request: HttpRequest) -> dict[str, Any]:
    """`workshop` and whether this is the demo."""
    return {"workshop": _Lazy(), "demo": settings.DEMO}
