"""Starts the demo: servers on loopback, data with a history and some trouble, and the application.

Everything it makes lies in the state folder (`.state`, or KEEPSORT_STATE). A second start finds
what is there and keeps it. Ctrl-C stops everything.
"""

import argparse
import os
import secrets
import shutil
import signal
import sys
import time
from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from demo import practice
from demo.keeping import Keeper, Part
from demo.servers.mailbox import Mailbox
from demo.servers.postgres import Postgres
from demo.servers.processes import Server, answers, kept_port
from demo.systems import SYSTEMS, DemoSystem

if TYPE_CHECKING:
    from keepsort.server.systems.models import System

ROOT = Path(__file__).resolve().parents[1]
STATE = Path(os.environ.get("KEEPSORT_STATE", ROOT / ".state")).resolve()
ACCOUNTS = (("odell", "Runa", "Odell", "administrator"), ("gull", "Piet", "Gull", "viewer"))


def _secret(name: str) -> str:
    file = STATE / name
    if not file.exists():
        STATE.mkdir(parents=True, exist_ok=True)
        file.touch(mode=0o600)
        file.write_text(secrets.token_urlsafe(9))
    return file.read_text().strip()


class Everything:
    """All servers and processes of the demo, stopped in reverse order."""

    def __init__(self) -> None:
        self.running: list[DemoSystem | Keeper] = []

    def keep(self, name: str, start: Callable[[], Part]) -> None:
        """Start a part of the application, and see that it stays."""
        self.running.append(Keeper(name, start))

    def look(self) -> None:
        for one in self.running:
            if isinstance(one, Keeper):
                one.look()

    def stop(self) -> None:
        for one in reversed(self.running):
            one.stop()
        self.running.clear()


def _database(everything: Everything) -> None:
    if os.environ.get("KEEPSORT_DATABASE_URL"):
        return
    folder = STATE / "postgres"
    if (folder / "password").exists() and not (folder / "admin-password").exists():
        print("This state folder is of an older Keep Sort. Run: make demo-reset")
        sys.exit(1)
    made: list[Postgres] = []

    def start() -> Postgres:
        made[:] = [Postgres(folder)]
        return made[0]

    everything.keep("PostgreSQL", start)
    postgres = made[0]
    postgres.create_database("keepsort")
    url = STATE / "database-url"
    url.touch(mode=0o600)
    url.write_text(postgres.url())
    os.environ["KEEPSORT_DATABASE_URL"] = postgres.url()


def _mailbox(everything: Everything) -> Path:
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


def _django() -> None:
    os.environ["KEEPSORT_STATE"] = str(STATE)
    os.environ.setdefault("KEEPSORT_LOCAL_FILES", "yes")
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    import django

    django.setup()
    from keepsort.server.migrating import migrate_if_needed

    migrate_if_needed()


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


def _systems(everything: Everything) -> None:
    left_out = os.environ.get("KEEPSORT_DEMO_WITHOUT", "").lower().split(",")
    for kind, is_installed, packages in SYSTEMS:
        if kind.name.lower() in left_out:
            print(f"{kind.name} is left out, as KEEPSORT_DEMO_WITHOUT asks.")
        elif not is_installed():
            print(f"{kind.name} is left out: {packages} are not installed.")
        else:
            _system(everything, kind)


def _system(everything: Everything, kind: type[DemoSystem]) -> None:
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


def _application(everything: Everything) -> int:
    environment = {
        "KEEPSORT_STATE": str(STATE),
        "KEEPSORT_LOCAL_FILES": os.environ.get("KEEPSORT_LOCAL_FILES", "yes"),
        "DJANGO_SETTINGS_MODULE": "keepsort.server.settings",
        "PYTHONPATH": f"{ROOT / 'src'}{os.pathsep}{ROOT}",
    }
    port = kept_port(STATE, "web")

    def worker() -> Server:
        return Server(
            [sys.executable, "-m", "keepsort.server.worker"],
            STATE / "worker.log", environment, cwd=STATE,
        )  # fmt: skip

    def web() -> Server:
        server = Server(
            [
                sys.executable, "-m", "uvicorn", "keepsort.server.asgi:application", "--host",
                "127.0.0.1", "--port", str(port), "--log-level", "warning",
                "--timeout-graceful-shutdown", "1", "--no-proxy-headers",
            ],
            STATE / "web.log", environment, cwd=STATE,
        )  # fmt: skip
        server.wait_for(lambda: answers(port), "the application")
        return server

    everything.keep("The worker", worker)
    everything.keep("The application", web)
    return port


def _stop_asked(*_: object) -> None:
    raise KeyboardInterrupt


def main() -> None:
    """Start what was asked for and wait."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--bare", action="store_true", help="the application without demo systems")
    bare = parser.parse_args().bare
    sys.path.insert(0, str(ROOT / "src"))
    signal.signal(signal.SIGTERM, _stop_asked)
    everything = Everything()
    began = time.monotonic()
    try:
        _database(everything)
        mail = None if bare else _mailbox(everything)
        _django()
        passwords = _accounts()
        if not bare:
            _systems(everything)
        port = _application(everything)
        if mail is not None:
            practice.tell_somebody(first=not mail.is_dir() or not any(mail.iterdir()))
        print(
            f"\nKeep Sort runs at http://127.0.0.1:{port}/  (ready in {time.monotonic() - began:.0f} s)"
        )
        for username, _, _, role in ACCOUNTS:
            print(f"Sign in as {username} ({role}) with the password {passwords[username]}")
        if mail is not None:
            print(f"Mail that the demo sends lies in {mail}")
        print("Files to open, one from another site and one cut short: demo/files")
        print("Ctrl-C stops everything.", flush=True)
        while True:
            time.sleep(0.5)
            everything.look()
    except KeyboardInterrupt:
        print("\nStopping.")
    finally:
        everything.stop()


if __name__ == "__main__":
    main()
