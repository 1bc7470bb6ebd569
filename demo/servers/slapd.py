"""OpenLDAP's slapd, on loopback, with its data in a folder."""

import shutil
import subprocess
from pathlib import Path

from serving.processes import Server, answers, kept_port, located

SUFFIX = "dc=kelpmoor,dc=example"
ADMIN = f"cn=admin,{SUFFIX}"
_MODULES = Path("/usr/lib/ldap")
_SCHEMA = Path("/etc/ldap/schema")


def is_installed() -> bool:
    """Tell whether the server and its own tools are there."""
    found = located("slapd")
    return found is not None and shutil.which("ldapmodify") is not None


def program() -> str:
    """Return the path of slapd; it is outside of PATH for others than root."""
    found = located("slapd")
    if found is None:
        raise RuntimeError("OpenLDAP's slapd is not installed; run: make setup")
    return found


class Slapd:
    """A directory server.

    access: lines of access rules (slapd.access), most special first.
    overlays: extra lines for the database, like an overlay that keeps references right.
    schema: definitions of attributes and classes of its own (slapd.conf).
    config: whether its own settings can be looked at, as cn=config.
    tls: folder with ca.pem, server.pem and server.key, where TLS is wanted.
    """

    def __init__(
        self,
        folder: Path,
        password: str,
        *,
        access: str = "",
        overlays: str = "",
        limits: str = "",
        schema: str = "",
        config: bool = False,
        tls: Path | None = None,
    ) -> None:
        self.folder = folder
        self.password = password
        self.port = kept_port(folder, "slapd")
        self.tls_port = kept_port(folder, "slapd-tls") if tls else 0
        (folder / "data").mkdir(parents=True, exist_ok=True)
        self._config = folder / "slapd.conf"
        certificates = []
        if tls is not None:
            certificates = [
                f"TLSCACertificateFile {tls}/ca.pem",
                f"TLSCertificateFile {tls}/server.pem",
                f"TLSCertificateKeyFile {tls}/server.key",
            ]
        schemas = ("core", "cosine", "inetorgperson", "nis")
        lines = [
            *(f"include {_SCHEMA}/{name}.schema" for name in schemas),
            schema,
            f"pidfile {folder}/slapd.pid",
            f"modulepath {_MODULES}",
            "moduleload back_mdb",
            "moduleload refint",
            *certificates,
            limits,
            f'database config\nrootdn "cn=admin,cn=config"\nrootpw {password}' if config else "",
            "database mdb",
            f'suffix "{SUFFIX}"',
            f'rootdn "{ADMIN}"',
            f"rootpw {password}",
            f"directory {folder}/data",
            "maxsize 1073741824",
            "dbnosync",
            "index objectClass,entryUUID,entryCSN eq",
            access or "access to * by * read",
            overlays,
        ]
        self._config.write_text("\n".join(lines) + "\n")
        self._config.chmod(0o600)
        self.server: Server | None = None
        self.start()

    @property
    def address(self) -> str:
        """Where it answers."""
        return f"ldap://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start the server, or start it again."""
        listeners = self.address + (f" ldaps://127.0.0.1:{self.tls_port}" if self.tls_port else "")
        self.server = Server(
            [program(), "-f", str(self._config), "-h", listeners, "-d", "0"],
            self.folder / "slapd.log",
        )
        self.server.wait_for(lambda: answers(self.port), "slapd")

    def stop(self) -> None:
        """Stop the server."""
        if self.server is not None:
            self.server.stop()

    def load(self, ldif: str, *options: str) -> None:
        """Add entries with the server's own tool."""
        self._run("ldapadd", ldif, *options)

    def change(self, ldif: str, *options: str) -> None:
        """Change entries with the server's own tool (LDIF change records)."""
        self._run("ldapmodify", ldif, *options)

    def search(self, *arguments: str, output: Path | None = None) -> str:
        """Search with the server's own tool."""
        command = ["ldapsearch", "-x", "-LLL", "-H", self.address, "-D", ADMIN, "-w", self.password]
        command += ["-o", "ldif-wrap=no", "-b", SUFFIX, *arguments]
        if output is not None:
            with output.open("wb") as out:
                subprocess.run(command, check=True, stdout=out)
            return ""
        return subprocess.run(command, check=True, capture_output=True, text=True).stdout

    def _run(self, tool: str, ldif: str, *options: str) -> None:
        command = [tool, "-x", "-H", self.address, "-D", ADMIN, "-w", self.password, *options]
        done = subprocess.run(command, input=ldif, text=True, capture_output=True, check=False)
        if done.returncode:
            raise RuntimeError(f"{tool} failed: {done.stderr.strip()}")
