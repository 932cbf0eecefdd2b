"""Background tasks: rows of a table, done by one process of their own (`manage.py work`).

A task must be safe to run twice. What is still to be done is marked on the rows that it works on, so a worker that is
killed loses nothing: the next one finds the same marks.
"""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import Any

from django.apps import apps
from django.conf import settings
from django.utils import timezone
from django.utils.module_loading import import_string
from django_tasks import TaskResultStatus, task_backends
from django_tasks.backends.immediate import ImmediateBackend

LOG = logging.getLogger("rainfront.work")
# A task that has waited longer than this [s] will not be done: no worker is running, and pages do their own part.
LEFT_LYING_S = 20
_at_start: list[Any] = []


def soon(task: Any) -> None:
    """Queue a task that takes no arguments, unless it is in the queue already."""
    if not _waits(task):
        task.enqueue()


def left_lying(task: Any) -> bool:
    """Whether no worker takes a task, so that a page has to do its own part of the work."""
    if not settings.KEEP_UP or isinstance(task_backends[task.backend], ImmediateBackend):
        return True
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    since = timezone.now() - timedelta(seconds=LEFT_LYING_S)
    return bool(results.objects.ready().filter(task_path=task.module_path, enqueued_at__lt=since).exists())


def at_start(task: Any) -> Any:
    """Mark a task to be queued whenever a worker starts, for the work that a killed worker left."""
    if task not in _at_start:
        _at_start.append(task)
    return task


def take_up() -> None:
    """Called once when the worker starts.

    Tasks that a killed worker left RUNNING are queued again, and each app's start-up task is queued. A task that an
    earlier version queued under a name that no longer exists is dropped: what it was to do is still marked on the rows.
    """
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    results.objects.filter(status=TaskResultStatus.RUNNING).update(status=TaskResultStatus.READY)
    for path in results.objects.ready().order_by().values_list("task_path", flat=True).distinct():
        try:
            import_string(path)
        except ImportError:
            results.objects.ready().filter(task_path=path).delete()
    for task in _at_start:
        soon(task)


def _waits(task: Any) -> bool:
    if isinstance(task_backends[task.backend], ImmediateBackend):
        return False
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    return bool(results.objects.ready().filter(task_path=task.module_path).exists())


class AtOnce(ImmediateBackend):
    """Runs a task at once in the caller and raises its errors there: for tests and single commands."""

    def _execute_task(self, task_result: Any) -> None:
        task_result.task.call(*task_result.args, **task_result.kwargs)
        object.__setattr__(task_result, "status", TaskResultStatus.SUCCESSFUL)
