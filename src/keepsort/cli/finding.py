"""Finding objects in all backups, and their past."""

import click

from keepsort.cli.asking import as_json_option
from keepsort.cli.output import Output


@click.command()
@click.argument("text")
@click.option("--system", help="Only in this system.")
@click.option("--gone", is_flag=True, help="Only objects that are not there any more.")
@as_json_option
def search(text: str, system: str | None, gone: bool, as_json: bool) -> None:
    """Find objects in all backups, by part of a name, a path, or words of their values."""
    from keepsort.cli.showing import show_found
    from keepsort.server.history import searching
    from keepsort.server.history.feeding import catch_up
    from keepsort.server.systems.models import System
    from keepsort.server.systems.services import find_system

    where = find_system(system) if system is not None else None
    for one in [where] if where is not None else System.objects.all():
        catch_up(one)
    show_found(Output(as_json), searching.search(text, system=where, gone=gone or None))


@click.command()
@click.argument("system")
@click.argument("path")
@as_json_option
def history(system: str, path: str, as_json: bool) -> None:
    """Show every backup in which an object differs from the one before."""
    from keepsort.cli.showing import show_history
    from keepsort.server.history.feeding import catch_up
    from keepsort.server.history.reading import history as read_history
    from keepsort.server.pick_notation import read_path
    from keepsort.server.problems import NotFound
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import newest, open_snapshot
    from keepsort.server.systems.services import find_system

    found = find_system(system)
    record = newest(found, Record.Kind.BACKUP)
    if record is None:
        raise NotFound(f"{found} has no backup yet.", "Make one with: keepsort backup.")
    catch_up(found)
    tree = open_snapshot(record)
    place = read_path(tree, path)
    node = tree.find(place)
    moments = read_history(found, place, node.entry.identity if node else None, tree)
    if not moments:
        written = tree.schema.notation.write(place)
        raise NotFound(f"No backup has {written}.", "Find it with: keepsort search.")
    show_history(Output(as_json), moments, tree)
