"""Work that nobody waits for: tasks in a table of the database, done by one process of its own (`manage.py work`).

A task is written so that it may be done twice: what is still to be done stands in the rows it works on, and a process
that was killed leaves them as they were.
"""

from __future__ import annotations

import logging
from datetime import timedelta
from typing import Any

from django.apps import apps
from django.conf import settings
from django.utils import timezone
from django_tasks import TaskResultStatus, task_backends
from django_tasks.backends.immediate import ImmediateBackend

LOG = logging.getLogger("rainfront.work")
# A task that has waited this long is done by nobody: the working process is not there.
LEFT_LYING_S = 20
_at_start: list[Any] = []


def soon(task: Any) -> None:
    """Have a task without arguments done soon; one that waits already is enough."""
    if not _waits(task):
        task.enqueue()


def left_lying(task: Any) -> bool:
    """Whether nobody does a task, so that a page has to do its own part of it."""
    if not settings.KEEP_UP or isinstance(task_backends[task.backend], ImmediateBackend):
        return True
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    since = timezone.now() - timedelta(seconds=LEFT_LYING_S)
    return bool(results.objects.ready().filter(task_path=task.module_path, enqueued_at__lt=since).exists())


def at_start(task: Any) -> Any:
    """Have a task done whenever the working process starts, for what a killed one has left."""
    if task not in _at_start:
        _at_start.append(task)
    return task


def take_up() -> None:
    """Before the working process begins: what a killed one was at waits again, and every app's task is asked for."""
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    results.objects.filter(status=TaskResultStatus.RUNNING).update(status=TaskResultStatus.READY)
    for task in _at_start:
        soon(task)


def _waits(task: Any) -> bool:
    if isinstance(task_backends[task.backend], ImmediateBackend):
        return False
    results = apps.get_model("django_tasks_database", "DBTaskResult")
    return bool(results.objects.ready().filter(task_path=task.module_path).exists())


class AtOnce(ImmediateBackend):
    """Tasks done where they are asked for, and what goes wrong raised there: for tests and single commands."""

    def _execute_task(self, task_result: Any) -> None:
        task_result.task.call(*task_result.args, **task_result.kwargs)
        object.__setattr__(task_result, "status", TaskResultStatus.SUCCESSFUL)
