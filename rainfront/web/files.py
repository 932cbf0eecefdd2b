"""Files and rows belong together: what a write stored goes with it when it fails, and is removed only once it holds."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

from django.core.files.base import ContentFile
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

    def save_whole(self, name: str, raw: bytes) -> None:
        """Store a file under this very name: all of it or, where the process is killed meanwhile, nothing."""
        self._save(name, ContentFile(raw))

    def delete(self, name: str) -> None:
        """Remove, once what was written with it is stored for good."""
        transaction.on_commit(lambda: super(_Together, self).delete(name))  # type: ignore[misc]

    def remove_now(self, name: str) -> None:
        """Remove at once."""
        super().delete(name)  # type: ignore[misc]


class KeptStorage(_Together, FileSystemStorage):
    """Files on disk."""

    def save_whole(self, name: str, raw: bytes) -> None:
        """Write beside it, then put it in its place."""
        path = Path(self.path(name))
        path.parent.mkdir(mode=self.directory_permissions_mode or 0o777, parents=True, exist_ok=True)
        part = path.with_name(f".{path.name}.part")
        part.write_bytes(raw)
        if self.file_permissions_mode is not None:
            part.chmod(self.file_permissions_mode)
        os.replace(part, path)
        made = _new.get()
        if made is not None:
            made.append(name)


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
