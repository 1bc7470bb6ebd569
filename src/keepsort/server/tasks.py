"""What worker processes do, through Procrastinate's queue in PostgreSQL.

Records, not jobs, say what is to be done: a job that is lost, or whose worker has died, is put into
the queue again by `recover`.
"""

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from typing import Any

from django.db import close_old_connections
from django.utils import timezone
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateWorker
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Status

from keepsort.server import housekeeping
from keepsort.server.files.copying import copy_due
from keepsort.server.history.feeding import catch_up
from keepsort.server.logs import log
from keepsort.server.restores import engine
from keepsort.server.restores.models import Run
from keepsort.server.snapshots import working
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.systems.models import System

#: Without a sign of life from any worker for so long, nothing that is asked for is done.
_WORKER_SILENT_SECONDS = 35
_STALLED_SECONDS = 60


def has_worker() -> bool:
    """Tell whether any worker process was heard of lately."""
    now = timezone.now()
    beats = ProcrastinateWorker.objects.values_list("last_heartbeat", flat=True)
    return any((now - beat).total_seconds() < _WORKER_SILENT_SECONDS for beat in beats)


def ask_work(work: Work) -> None:
    """Queue a backup or a look; once is enough."""
    with suppress(AlreadyEnqueued):
        do_work.configure(queueing_lock=f"work {work.pk}").defer(work_id=work.pk)


def ask_run(run: Run) -> None:
    """Queue a run; once is enough."""
    with suppress(AlreadyEnqueued):
        do_run.configure(queueing_lock=f"run {run.pk}").defer(run_id=run.pk)


@app.task(name="work")
def do_work(work_id: int) -> None:
    """Make a backup or a look that a person asked for."""
    close_old_connections()
    work = working.do(work_id)
    if work is not None and work.kind == Record.Kind.BACKUP:
        index_backups.defer(system_id=work.system_id)
        copy_backups.defer(system_id=work.system_id)


@app.task(name="index")
def index_backups(system_id: int) -> None:
    """Take a system's new backups into the index of history and search."""
    close_old_connections()
    for system in System.objects.filter(pk=system_id):
        catch_up(system)


@app.task(name="copy")
def copy_backups(system_id: int) -> None:
    """Copy a system's new backups off the machine."""
    close_old_connections()
    for system in System.objects.filter(pk=system_id):
        copy_due(system)


@app.periodic(cron="* * * * *")
@app.task(name="copy all", queueing_lock="copy", pass_context=False)
def copy_all(timestamp: int) -> None:
    """Copy what was made elsewhere, and try again what failed."""
    close_old_connections()
    for system in System.objects.exclude(copy_places=None):
        _each("copies", system.pk, partial(copy_due, system))


@app.periodic(cron="* * * * *")
@app.task(name="index all", queueing_lock="index", pass_context=False)
def index_all(timestamp: int) -> None:
    """Take in backups that were made where no worker was told, from the command line say."""
    close_old_connections()
    for system in System.objects.all():
        _each("index", system.pk, partial(catch_up, system))


@app.task(name="run")
def do_run(run_id: int) -> None:
    """Carry out a run; one that somebody else is at is tried again by `recover`."""
    close_old_connections()
    with suppress(engine.Busy, Run.DoesNotExist):
        engine.carry_out(run_id)


@app.periodic(cron="* * * * * */5")
@app.task(name="recover", queueing_lock="recover", pass_context=False)
def recover(timestamp: int) -> None:
    """Queue what nobody is at: runs and work whose worker died, or whose job was lost."""
    close_old_connections()
    for run in engine.unattended():
        _each("run", run.pk, partial(ask_run, run))
    for work in working.unattended():
        _each("work", work.pk, partial(ask_work, work))


@app.periodic(cron="* * * * * 30")
@app.task(name="tidy jobs", queueing_lock="tidy jobs", pass_context=True)
async def tidy_jobs(context: JobContext, timestamp: int) -> None:
    """Take jobs of dead workers out of the queue; `recover` queues again what they were to do."""
    manager = context.app.job_manager
    await manager.prune_stalled_workers(_STALLED_SECONDS)
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=_STALLED_SECONDS):
        if job.id is not None:
            await manager.finish_job(job, status=Status.FAILED, delete_job=True)


@app.periodic(cron="17 * * * *")
@app.task(name="collect", queueing_lock="collect", pass_context=False)
def collect(timestamp: int) -> None:
    """Let go of what has had its time, and of chunks that nothing stands on."""
    close_old_connections()
    housekeeping.tidy()


def _each(what: str, number: int, do: Callable[[], Any]) -> None:
    """Do one of several things; what goes wrong with it stays its own."""
    try:
        do()
    except Exception as error:
        log.error(f"{what} could not be taken up", number=number, error=error)
