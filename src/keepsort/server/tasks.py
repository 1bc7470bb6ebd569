"""What worker processes do, through Procrastinate's queue in PostgreSQL."""

from contextlib import suppress

from django.db import close_old_connections
from procrastinate.contrib.django import app

from keepsort.connectors.errors import ConnectorError
from keepsort.server.events.notify import tell
from keepsort.server.history.feeding import catch_up
from keepsort.server.problems import Problem
from keepsort.server.restores.engine import carry_out, is_interrupted, put_back
from keepsort.server.restores.models import Run
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import take
from keepsort.server.systems.models import System


@app.task(name="work")
def do_work(work_id: int) -> None:
    """Make a backup or a look that a person asked for."""
    close_old_connections()
    work = Work.objects.select_related("system", "by").get(pk=work_id)
    work.state = Work.State.RUNNING
    work.save(update_fields=["state"])
    tell("work", work.pk, work.system_id)

    def progress(count: int) -> None:
        Work.objects.filter(pk=work.pk).update(objects_seen=count)
        tell("work", work.pk, work.system_id)

    try:
        work.result = take(
            work.system, work.kind, branch=tuple(work.at), by=work.by, note=work.note,
            progress=progress,
        )  # fmt: skip
        work.state = Work.State.DONE
        work.objects_seen = work.result.objects_count
    except (ConnectorError, Problem) as error:
        work.state = Work.State.FAILED
        work.message = str(error)
    except Exception:
        work.state = Work.State.FAILED
        work.message = "It failed in a way nobody foresaw; the worker's log tells more."
        raise
    finally:
        work.save()
        tell("work", work.pk, work.system_id)
    if work.kind == Record.Kind.BACKUP:
        index_backups.defer(system_id=work.system_id)


@app.task(name="index")
def index_backups(system_id: int) -> None:
    """Take a system's new backups into the index of history and search."""
    close_old_connections()
    catch_up(System.objects.get(pk=system_id))


@app.periodic(cron="* * * * *")
@app.task(name="index all", queueing_lock="index", pass_context=False)
def index_all(timestamp: int) -> None:
    """Take in backups that were made where no worker was told, from the command line say."""
    close_old_connections()
    for system in System.objects.all():
        catch_up(system)


@app.task(name="run")
def do_run(run_id: int) -> None:
    """Carry out a run."""
    close_old_connections()
    carry_out(run_id)


@app.periodic(cron="* * * * * */5")
@app.task(name="resume", queueing_lock="resume", pass_context=False)
def resume_interrupted(timestamp: int) -> None:
    """Go on with runs whose worker died."""
    close_old_connections()
    for run in Run.objects.filter(state=Run.State.RUNNING):
        if is_interrupted(run):
            try:
                carry_out(run.pk)
            except Problem:
                continue  # somebody else was quicker
    for run in Run.objects.filter(state=Run.State.FINISHED, standing__isnull=False):
        with suppress(ConnectorError):  # it may still be away; this is tried again
            put_back(run)
