"""What jobs tell the apps above them."""

from django.dispatch import Signal

# Something was written on a job, and is stored; `job` is its number, None for many at once.
job_changed = Signal()
# A text was taken out of a job for good.
words_redacted = Signal()
# What a closed job teaches has changed: it was closed, opened again, corrected or brought in.
examples_changed = Signal()
