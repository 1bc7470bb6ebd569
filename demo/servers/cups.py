"""A print server (CUPS) of our own on loopback, with its data in a folder."""

import os
import shutil
import subprocess
from pathlib import Path

from serving.processes import Server, answers, kept_port, located

_FILES = """\
ServerRoot {folder}/root
RequestRoot {folder}/spool
CacheDir {folder}/cache
StateDir {folder}/state
TempDir {folder}/tmp
ErrorLog {folder}/error_log
AccessLog {folder}/access_log
PageLog {folder}/page_log
FileDevice Yes
"""
_SERVER = """\
Listen 127.0.0.1:{port}
LogLevel warn
Browsing Off
DefaultAuthType None
WebInterface No
<Location />
  Order deny,allow
  Allow from 127.0.0.1
</Location>
<Location /admin>
  Order deny,allow
  Allow from 127.0.0.1
</Location>
<Policy default>
  JobPrivateAccess default
  JobPrivateValues none
  SubscriptionPrivateAccess default
  SubscriptionPrivateValues default
  <Limit All>
    Order deny,allow
    Allow from 127.0.0.1
  </Limit>
</Policy>
"""


def is_installed() -> bool:
    """Tell whether the server and its tools are there."""
    return all(located(name) for name in ("cupsd", "lpadmin", "lpstat", "ipptool"))


class Cups:
    """A server that runs as long as this object is not stopped."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        for name in ("root", "spool", "cache", "state", "tmp"):
            (folder / name).mkdir(parents=True, exist_ok=True)
        self.port = kept_port(folder, "cups")
        accounts = ""
        if os.geteuid() == 0:
            accounts = "User lp\nGroup lp\nSystemGroup root\n"
            self._let_in(folder)
        (folder / "root/cups-files.conf").write_text(_FILES.format(folder=folder) + accounts)
        (folder / "root/cupsd.conf").write_text(_SERVER.format(port=self.port))
        self.start()

    def _let_in(self, folder: Path) -> None:
        for name in ("spool", "cache", "state", "tmp"):
            shutil.chown(folder / name, "root", "lp")
            (folder / name).chmod(0o1770 if name == "tmp" else 0o775)

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"ipp://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the server, or start it again."""
        root = self.folder / "root"
        command = [str(located("cupsd")), "-f", "-c", str(root / "cupsd.conf")]
        self.server = Server([*command, "-s", str(root / "cups-files.conf")], self.folder / "log")
        self.server.wait_for(lambda: answers(self.port), "cupsd")

    def stop(self) -> None:
        """Stop the server."""
        self.server.stop()

    def admin(self, *words: str) -> None:
        """Call the server's own tool for queues and classes."""
        self._run("lpadmin", *words)

    def tool(self, name: str, *words: str) -> str:
        """Call another of the server's own tools; return what it prints."""
        return self._run(name, *words)

    def _run(self, name: str, *words: str) -> str:
        done = subprocess.run(
            [str(located(name)), "-h", f"127.0.0.1:{self.port}", *words],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            raise RuntimeError(f"{name} {' '.join(words)} failed: {done.stderr.strip()}")
        return done.stdout
