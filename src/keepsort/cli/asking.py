"""What several commands ask for in the same way."""

import sys

import click

as_json_option = click.option("--json", "as_json", is_flag=True, help="Print one JSON document.")
backup_argument = click.argument("backup")
passphrase_option = click.option(
    "--passphrase-stdin", is_flag=True, help="Read the passphrase from standard input."
)


def named_values(texts: tuple[str, ...]) -> dict[str, str]:
    """Read options given as NAME=VALUE. Raises `BadParameter` for what is not."""
    found = {}
    for text in texts:
        name, equals, value = text.partition("=")
        if not equals:
            raise click.BadParameter(f"{text!r} is not NAME=VALUE", param_hint="--option")
        found[name] = value
    return found


def line_of_input(wanted: bool = True) -> str:
    """Read a line of standard input, a password say; nothing where it is not wanted."""
    return sys.stdin.readline().rstrip("\r\n") if wanted else ""
