"""Uploads are capped before they fill memory or disk."""

from typing import Any

from django.core.files.uploadhandler import FileUploadHandler, StopUpload

from chargepath.casefile import MAX_BYTES

CAP_BYTES = MAX_BYTES + 64_000


class CappedUploadHandler(FileUploadHandler):
    """Stop storing when a request passes the cap; the rest is read and dropped so that the answer reaches the browser."""

    seen = 0

    def receive_data_chunk(self, raw_data: bytes, start: int) -> bytes:
        """Count and pass on."""
        self.seen += len(raw_data)
        if self.seen > CAP_BYTES:
            if self.request is not None:
                self.request.upload_too_large = True  # type: ignore[attr-defined]
            raise StopUpload(connection_reset=False)
        return raw_data

    def file_complete(self, file_size: int) -> Any:
        """Leave the file to the next handler."""
        return None
