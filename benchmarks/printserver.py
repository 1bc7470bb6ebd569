"""Backing up a print server of 150 queues with their drivers, and putting 50 of them back."""

import json
import subprocess
from collections.abc import Iterator
from pathlib import Path

from benchmarks.application import Application
from benchmarks.measuring import Figure, median
from demo.servers.cups import Cups, is_installed
from serving.postgres import Postgres
from serving.processes import located

_QUEUES = 150
_CHANGED = 50
_ROUNDS = 3


def fill(server: Cups, count: int = _QUEUES) -> None:
    """Make so many queues, each with a driver of its own."""
    for n in range(count):
        device = f"socket://192.0.2.{n % 250}:9100"
        server.admin("-p", f"q{n}", "-E", "-v", device, "-m", "drv:///sample.drv/generic.ppd")


def figures(folder: Path) -> Iterator[Figure]:
    """Measure whole processes against the server's own tools."""
    if not is_installed():
        return
    folder.chmod(0o755)
    postgres = Postgres(folder / "printserver-postgres")
    server = Cups(folder / "printserver")
    try:
        fill(server)
        command = Application(folder, "printserver", postgres).command
        address = server.address
        out = folder / "queues.txt"
        drivers = [f"http://127.0.0.1:{server.port}/printers/q{n}.ppd" for n in range(_QUEUES)]

        def told() -> None:
            """Have the tools tell what a backup holds: all of each queue, and its driver."""
            tool = [str(located("lpstat")), "-h", f"127.0.0.1:{server.port}"]
            options = [str(located("lpoptions")), "-h", f"127.0.0.1:{server.port}"]
            with out.open("wb") as file:
                subprocess.run([*tool, "-l", "-t"], stdout=file, check=True)
                for n in range(_QUEUES):
                    subprocess.run([*options, "-p", f"q{n}", "-l"], stdout=file, check=True)
                subprocess.run(["curl", "-sS", *drivers], stdout=file, check=True)

        def change(place: str) -> None:
            for n in range(_CHANGED):
                server.admin("-p", f"q{n}", "-L", place)

        command("system", "add", "Labels", "--connector", "printserver", "--address", address)
        theirs = median(told, _ROUNDS)
        ours = median(lambda: command("backup", "Labels"), _ROUNDS)
        yield Figure(
            "backup of 150 queues with their drivers, whole process, against lpstat, lpoptions and "
            "curl into a file", ours, theirs, 5,
        )  # fmt: skip
        changed = median(lambda: change("somewhere else"), 1)
        words = [w for n in range(_CHANGED) for w in ("--pick", f"/q{n}#location")]
        plan = json.loads(command("preview", "1", *words))
        confirm = []
        for one in plan["findings"]:
            if one["level"] == "confirm":
                confirm += ["--confirm", one["finding"]]
        ran = median(lambda: command("restore", str(plan["plan"]), *confirm), 1)
        yield Figure(
            "putting back the location of 50 queues of 150, whole process with the looks, against "
            "as many calls of lpadmin", ran, changed, 5,
        )  # fmt: skip
    finally:
        server.stop()
        postgres.stop()
