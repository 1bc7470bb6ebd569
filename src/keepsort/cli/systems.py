"""The systems that are kept."""

import click

from keepsort.cli.asking import as_json_option, line_of_input, named_values
from keepsort.cli.output import Output


@click.group("system")
def system_app() -> None:
    """The systems that are kept."""


@system_app.command("add")
@click.argument("name", metavar="SYSTEM")
@click.option("--connector", required=True, help="As in docs/connectors: directory, ovsdb….")
@click.option("--address", required=True, help="Where the system answers.")
@click.option("--option", multiple=True, help="NAME=VALUE, as often as needed.")
@click.option("--user", default="", help="The account to sign in with.")
@click.option("--password-stdin", is_flag=True, help="Read the password from standard input.")
@as_json_option
def system_add(
    name: str,
    connector: str,
    address: str,
    option: tuple[str, ...],
    user: str,
    password_stdin: bool,
    as_json: bool,
) -> None:
    """Add a system, once it has answered."""
    from keepsort.connectors.errors import ConnectorError
    from keepsort.server.systems.services import add_system, try_connection

    options = named_values(option)
    password = line_of_input(password_stdin)
    system = add_system(name, connector, address, options, user, password)
    try:
        description = try_connection(system)
    except ConnectorError:
        system.delete()
        raise
    Output(as_json).one(
        {"system": system.name, "connector": connector, "software": description.software},
        f"{system.name}: {description.software} at {address}",
    )


@system_app.command("list")
@as_json_option
def system_list(as_json: bool) -> None:
    """List the systems."""
    from keepsort.server.systems.models import System

    rows = [
        {"system": s.name, "connector": s.connector, "address": s.address, "user": s.user}
        for s in System.objects.all()
    ]
    Output(as_json).many("systems", rows, ["system", "connector", "address", "user"])


@system_app.command("remove")
@click.argument("name", metavar="SYSTEM")
@as_json_option
def system_remove(name: str, as_json: bool) -> None:
    """Remove a system with all its backups and runs. The live system stays as it is."""
    from keepsort.server.restores.records import remove_system
    from keepsort.server.systems.services import find_system

    system = find_system(name)
    count = remove_system(system)
    Output(as_json).one(
        {"removed": system.name, "backups": count},
        f"{system.name} is removed, with {count} backups",
    )
