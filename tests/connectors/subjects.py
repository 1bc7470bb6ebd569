"""The directory as a subject of the contract; the other subjects stand with their connectors' tests."""

from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from keepsort.connectors.base import Endpoint
from keepsort.connectors.directory.connector import Directory
from keepsort.connectors.directory.naming import COMPOSER
from keepsort.core.model import Path
from tests.conftest import PASSWORD, READER, dn
from tests.connectors.contract import Keeper

GUARD = dn("Réef\\, Guard")


class DirectorySubject:
    """The small directory."""

    composer = COMPOSER
    states = {"missing", "extra", "changed", "moved", "recreated"}

    def __init__(self, server: Slapd) -> None:
        self.server = server

    def open(self, user: str = ADMIN) -> Directory:
        endpoint = Endpoint(
            address=self.server.address, options={"base": SUFFIX}, user=user, password=PASSWORD
        )
        return Directory(endpoint, Keeper())

    def harm(self) -> None:
        self.server.change(
            f"dn: {dn('Ansel Brandvold')}\nchangetype: moddn\nnewrdn: cn=Ansel Brandvold\n"
            f"deleteoldrdn: 1\nnewsuperior: ou=visitors,{SUFFIX}\n\n"
            f"dn: {dn('Ansel Brandvold', 'visitors')}\nchangetype: modify\n"
            "replace: title\ntitle: Visitor\n-\nadd: telephoneNumber\n"
            "telephoneNumber: +1 555 0199\n-\ndelete: jpegPhoto\n\n"
            f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
            f"dn: {dn('boat-crew', 'groups')}\nchangetype: modify\nreplace: description\n"
            "description: the crew\n\n"
            f"dn: {dn('night-dive-leads', 'groups')}\nchangetype: delete\n\n"
            f"dn: {GUARD}\nchangetype: modify\nreplace: sn\nsn: Warden\n"
        )
        self.server.load(
            f"dn: {dn('night-dive-leads', 'groups')}\nobjectClass: groupOfNames\n"
            f"cn: night-dive-leads\nmember: {dn('Ansel Brandvold', 'visitors')}\n\n"
            f"dn: {dn('Guest', 'visitors')}\nobjectClass: person\ncn: Guest\nsn: Guest\n"
        )

    def meddle(self, path: Path) -> None:
        name = ",".join(reversed(path)) + f",{SUFFIX}"
        self.server.change(
            f"dn: {name}\nchangetype: modify\nreplace: description\ndescription: meddled with\n"
        )

    def hide(self) -> tuple[Directory, Path]:
        return self.open(READER), ("ou=groups",)
