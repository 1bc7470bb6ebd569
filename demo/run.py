"""Starts the demo: servers on loopback, data with a history and some trouble, and the application.

Everything it makes lies in the state folder (`.state`, or KEEPSORT_STATE). A second start finds
what is there and keeps it. Ctrl-C stops everything.
"""

import os
import secrets
import shutil
import time
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from demo import practice
from demo.servers.mailbox import Mailbox
from demo.systems import SYSTEMS, DemoSystem
from serving.parts import (
    Running,
    set_up,
    start_application,
    start_database,
    state_folder,
    stay,
)
from serving.processes import kept_port

if TYPE_CHECKING:
    from keepsort.server.systems.models import System

STATE = state_folder()
ACCOUNTS = (("odell", "Runa", "Odell", "administrator"), ("gull", "Piet", "Gull", "viewer"))


def _secret(name: str) -> str:
    file = STATE / name
    if not file.exists():
        STATE.mkdir(parents=True, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(9))
    return file.read_text().strip()


def _mailbox(everything: Running) -> Path:
    """Start the mailbox that the demo's messages go to; return where they lie."""
    made: list[Mailbox] = []

    def start() -> Mailbox:
        made[:] = [Mailbox(STATE)]
        return made[0]

    everything.keep("The mailbox", start)
    os.environ["KEEPSORT_SMTP_URL"] = f"smtp://127.0.0.1:{made[0].port}"
    os.environ["KEEPSORT_MAIL_FROM"] = "keepsort@kelpmoor.example"
    os.environ["KEEPSORT_URL"] = f"http://127.0.0.1:{kept_port(STATE, 'web')}"
    return made[0].folder / "new"


def _accounts() -> dict[str, str]:
    """Make the people of the demo; return their passwords by their names."""
    from keepsort.server.accounts.models import User

    passwords = {}
    for username, first, last, role in ACCOUNTS:
        password = passwords[username] = _secret(f"password-of-{username}")
        user, new = User.objects.get_or_create(
            username=username,
            defaults={
                "first_name": first, "last_name": last, "role": role,
                "email": f"{username}@kelpmoor.example",
            },
        )  # fmt: skip
        if new:
            user.set_password(password)
            user.save()
    return passwords


def _systems(everything: Running) -> None:
    left_out = os.environ.get("KEEPSORT_DEMO_WITHOUT", "").lower().split(",")
    for kind, is_installed, packages in SYSTEMS:
        if kind.name.lower() in left_out:
            print(f"{kind.name} is left out, as KEEPSORT_DEMO_WITHOUT asks.")
        elif not is_installed():
            print(f"{kind.name} is left out: {packages} are not installed.")
        else:
            _system(everything, kind)


def _system(everything: Running, kind: type[DemoSystem]) -> None:
    """Start one system; the first time, load its data and live through its last weeks."""
    from django.utils import timezone

    from keepsort.server.history.feeding import catch_up
    from keepsort.server.snapshots.models import Record
    from keepsort.server.snapshots.services import take
    from keepsort.server.sorting.tallying import tally_ahead
    from keepsort.server.systems.models import System
    from keepsort.server.systems.services import add_system

    folder = STATE / kind.name.lower()
    fresh = not (folder / "loaded").exists()
    if fresh:
        shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True, exist_ok=True)
    part = kind(folder, _secret(f"{kind.name.lower()}-password"))
    everything.running.append(part)
    way = part.way()
    if fresh:
        System.objects.filter(name=kind.name).delete()
        part.load()
        system = add_system(
            kind.name, way.connector, way.address, way.options, way.user, way.password
        )
        for moment in part.history():
            moment.change()
            past = timezone.now() - timedelta(days=moment.days_ago)
            taken_at = practice.taken_at(past, moment.note)
            record = take(system, Record.Kind.BACKUP, note=moment.note, taken_at=taken_at)
            Record.objects.filter(pk=record.pk).update(pinned=moment.pinned)
        catch_up(system)
        if kind.name == "People":
            _copied(system)
        practice.schedule(system)
        practice.keep_for_a_time(system)
        practice.say_what_matters(system)
        part.trouble()
        take(system, Record.Kind.LOOK)
        tally_ahead(system)
        practice.after_the_trouble(system)
        (folder / "loaded").touch()
    System.objects.filter(name=kind.name).update(address=way.address)


def _copied(system: "System") -> None:
    """Let the backups of a system be copied to a folder, as to a disk that is mounted."""
    from keepsort.server.files.copying import add_place

    folder = STATE / "copies"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir()
    add_place(system, folder.as_uri(), {}, "", "", keep=30)


def _begin(everything: Running) -> None:
    began = time.monotonic()
    start_database(everything, STATE)
    mail = _mailbox(everything)
    set_up(STATE)
    passwords = _accounts()
    _systems(everything)
    port = start_application(everything, STATE)
    practice.tell_somebody(first=not mail.is_dir() or not any(mail.iterdir()))
    print(
        f"\nKeep Sort runs at http://127.0.0.1:{port}/  (ready in {time.monotonic() - began:.0f} s)"
    )
    for username, _, _, role in ACCOUNTS:
        print(f"Sign in as {username} ({role}) with the password {passwords[username]}")
    print(f"Mail that the demo sends lies in {mail}")
    print("Files to open, one from another site and one cut short: demo/files")


if __name__ == "__main__":
    stay(_begin)
