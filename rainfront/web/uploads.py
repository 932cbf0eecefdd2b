"""Uploads are capped before they fill memory or disk."""

from collections.abc import Callable
from typing import Any, TypeVar

from django.core.files.uploadhandler import FileUploadHandler, StopUpload

from chargepath.case.file import MAX_BYTES

SPARE_BYTES, PIECE = 64_000, 1_000_000
View = TypeVar("View", bound=Callable[..., Any])


def takes(size: int) -> Callable[[View], View]:
    """Say of a view how many bytes of files it takes; else as many as a case file."""

    def mark(view: View) -> View:
        view.takes_bytes = size  # type: ignore[attr-defined]
        return view

    return mark


class CappedUploadHandler(FileUploadHandler):
    """Stop reading a form when it passes the cap.

    What is still to come is dropped as it comes, without looking for fields in it, so that the answer reaches the
    browser.
    """

    seen = 0
    stream: Any = None

    def handle_raw_input(self, input_data: Any, *args: Any, **kwargs: Any) -> None:
        """Remember where it comes from."""
        self.stream = input_data

    def receive_data_chunk(self, raw_data: bytes, start: int) -> bytes:
        """Count and pass on."""
        self.seen += len(raw_data)
        if self.seen > self._cap() + SPARE_BYTES:
            if self.request is not None:
                self.request.upload_too_large = True  # type: ignore[attr-defined]
            while self.stream is not None and self.stream.read(PIECE):
                pass
            raise StopUpload(connection_reset=True)
        return raw_data

    def _cap(self) -> int:
        """Bytes that the address being posted to takes."""
        match = getattr(self.request, "resolver_match", None)
        return getattr(match.func, "takes_bytes", MAX_BYTES) if match else MAX_BYTES

    def file_complete(self, file_size: int) -> Any:
        """Leave the file to the next handler."""
        return None
