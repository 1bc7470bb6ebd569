"""What worker processes do, through Procrastinate's queue in PostgreSQL.

Records, not jobs, say what is to be done: a job that is lost, or whose worker has died, is put into
the queue again by `recover`.
"""

from collections.abc import Callable
from contextlib import suppress
from functools import partial
from typing import Any

from django.db import close_old_connections, transaction
from procrastinate import JobContext
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued
from procrastinate.jobs import Status

from keepsort.server import housekeeping
from keepsort.server.events.notify import tell
from keepsort.server.files.copying import copy_due
from keepsort.server.history.feeding import catch_up
from keepsort.server.logs import log
from keepsort.server.messages.sending import send_due
from keepsort.server.messages.telling import notice
from keepsort.server.restores import engine
from keepsort.server.restores.models import Run
from keepsort.server.retention import services as policies
from keepsort.server.schedules import services as schedules
from keepsort.server.snapshots import working
from keepsort.server.snapshots.models import Work
from keepsort.server.snapshots.verifying import is_verify_due
from keepsort.server.systems.models import System

_STALLED_SECONDS = 60


def begin_work(**fields: Any) -> Work:
    """Ask a worker for a backup, a look or a reading; fields: those of `Work`."""
    with transaction.atomic():
        work = Work.objects.create(**fields)
        ask_work(work)
    tell("work", work.pk, work.system_id)
    return work


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
    if work is not None and work.result is not None and work.kind == Work.Kind.BACKUP:
        index_backups.defer(system_id=work.system_id)
        copy_backups.defer(system_id=work.system_id)
        retain.defer(system_id=work.system_id)


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


@app.periodic(cron="* * * * * */10")
@app.task(name="schedules", queueing_lock="schedules", pass_context=False)
def take_due(timestamp: int) -> None:
    """Take up what schedules ask for."""
    close_old_connections()
    for work in schedules.take_due():
        _each("work", work.pk, partial(ask_work, work))


@app.task(name="retain")
def retain(system_id: int) -> None:
    """Let go what the policy of a system drops."""
    close_old_connections()
    for system in System.objects.filter(pk=system_id):
        if policies.apply(system):
            collect_soon.defer()


@app.periodic(cron="7 * * * *")
@app.task(name="retain all", queueing_lock="retain", pass_context=False)
def retain_all(timestamp: int) -> None:
    """Let go what the policies drop, where days have gone by and no backup was made."""
    close_old_connections()
    for system in System.objects.exclude(retention={}):
        _each("retention", system.pk, partial(retain, system.pk))


@app.periodic(cron="*/10 * * * *")
@app.task(name="verify all", queueing_lock="verify", pass_context=False)
def verify_all(timestamp: int) -> None:
    """Have backups read again that were not for as long as their system says."""
    close_old_connections()
    for system in System.objects.exclude(verify_days=0):
        _each("verify", system.pk, partial(_verify_if_due, system))


def _verify_if_due(system: System) -> None:
    if is_verify_due(system):
        begin_work(system=system, kind=Work.Kind.VERIFY)


@app.periodic(cron="* * * * * 45")
@app.task(name="tell", queueing_lock="tell", pass_context=False)
def tell_all(timestamp: int) -> None:
    """Tell people and programs what they are to be told."""
    close_old_connections()
    notice()
    send_due()


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


@app.task(name="collect soon", queueing_lock="collect soon", pass_context=False)
def collect_soon() -> None:
    """Collect chunks, since something was let go."""
    close_old_connections()
    housekeeping.tidy()


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
