"""Static files by content hash, compressed beside themselves: kept for as long as a browser likes."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """The same for what scripts import of each other."""

    support_js_module_import_aggregation = True
