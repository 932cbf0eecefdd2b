"""Files and rows belong together: what a write stored goes with it when it fails, and is removed only once it holds."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from django.core.files.storage import FileSystemStorage, InMemoryStorage, default_storage
from django.db import transaction

_new: ContextVar[list[str] | None] = ContextVar("new_files", default=None)


class _Together:
    """Notes what is stored; removes when the transaction holds."""

    def _save(self, name: str, content: object) -> str:
        stored: str = super()._save(name, content)  # type: ignore[misc]
        made = _new.get()
        if made is not None:
            made.append(stored)
        return stored

    def delete(self, name: str) -> None:
        """Remove, once what was written with it is stored for good."""
        transaction.on_commit(lambda: super(_Together, self).delete(name))  # type: ignore[misc]

    def remove_now(self, name: str) -> None:
        """Remove at once."""
        super().delete(name)  # type: ignore[misc]


class KeptStorage(_Together, FileSystemStorage):
    """Files on disk."""


class TestStorage(_Together, InMemoryStorage):
    """Files of tests."""


@contextmanager
def files_go_with_it() -> Iterator[None]:
    """Around a transaction: where it fails, the files that were stored in it are removed."""
    if _new.get() is not None:
        yield
        return
    made: list[str] = []
    token = _new.set(made)
    try:
        yield
    except BaseException:
        for name in made:
            default_storage.remove_now(name)  # type: ignore[attr-defined]
        raise
    finally:
        _new.reset(token)
