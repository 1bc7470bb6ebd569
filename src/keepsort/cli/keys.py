"""The key that everything kept secret is encrypted with."""

import click


@click.group("keys")
def keys_app() -> None:
    """The key that everything kept secret is encrypted with."""


@keys_app.command("check")
def check_key() -> None:
    """Tell whether the key is the right one."""
    from keepsort.server.systems.keeping import check

    check()
    print("The key is the one that this database's secrets are encrypted with.")


@keys_app.command("accept-loss")
@click.option("--yes", is_flag=True, help="The old key is lost for good.")
def accept_loss(yes: bool) -> None:
    """Go on without secrets whose key is lost; each is asked for where it is needed."""
    from keepsort.server.problems import Problem
    from keepsort.server.systems import keeping

    if not yes:
        raise Problem(
            "Passwords and secrets encrypted with the lost key go for good.", "Say --yes."
        )
    passwords, kept = keeping.accept_loss()
    print(f"Lost: the passwords of {passwords} systems, and {kept} secrets found in systems.")
    print("Give the passwords again in Setup. Everybody has to sign in again.")


@keys_app.command("rotate")
def rotate_key() -> None:
    """Change the key; run it again after the server and its workers were started anew."""
    from keepsort.server.systems import keeping

    count = keeping.rotate()
    print(f"{count} secrets are encrypted anew.")
    if keeping.is_unfinished():
        print("Start the server and its workers anew, then run this once more.")
