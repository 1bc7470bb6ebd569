"""Runs the application alone, for systems of your own: ``python -m serving``. Ctrl-C stops it."""

import secrets

from serving.parts import (
    Running,
    set_up,
    start_application,
    start_database,
    state_folder,
    stay,
)

_FIRST = "admin"


def _first_account() -> str:
    """Make an administrator where nobody can sign in yet; return the password, else nothing."""
    from keepsort.server.accounts.models import Role, User

    if User.objects.exists():
        return ""
    password = secrets.token_urlsafe(9)
    User.objects.create_user(_FIRST, password=password, role=Role.ADMINISTRATOR)
    return password


def _begin(running: Running) -> None:
    state = state_folder()
    start_database(running, state)
    set_up(state)
    password = _first_account()
    port = start_application(running, state)
    print(f"\nKeep Sort runs at http://127.0.0.1:{port}/")
    if password:
        print(f"Sign in as {_FIRST} (administrator) with the password {password}")
        print("It is told this once. Change it, and add others, with: manage.py changepassword")


if __name__ == "__main__":
    stay(_begin)
