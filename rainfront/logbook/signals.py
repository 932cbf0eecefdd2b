"""What the logbook tells the apps above it."""

from django.dispatch import Signal

# A job's page was made anew, within the same transaction; `job` with everything fetched, and the `shop`.
page_written = Signal()
