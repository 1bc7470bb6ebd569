"""What tests share: a small real directory, and systems that point to it."""

import os
from collections.abc import Callable, Iterator
from pathlib import Path

import hypothesis
import pytest
from django.conf import settings

from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system
from tests.servers import migrated

# How long an example takes on a machine that is shared says nothing; speed belongs to benchmarks.
# Draws are the same each time, so that the code decides what passes; `make fuzz` draws anew.
hypothesis.settings.register_profile(
    "shared",
    deadline=None,
    derandomize="KEEPSORT_DRAW_ANEW" not in os.environ,
    suppress_health_check=[hypothesis.HealthCheck.too_slow],
)
hypothesis.settings.load_profile("shared")

PASSWORD = "pilot-whale"

SMALL = f"""\
dn: {SUFFIX}
objectClass: dcObject
objectClass: organization
dc: kelpmoor
o: Kelpmoor Aquarium

dn: ou=divers,{SUFFIX}
objectClass: organizationalUnit
ou: divers

dn: ou=visitors,{SUFFIX}
objectClass: organizationalUnit
ou: visitors

dn: ou=groups,{SUFFIX}
objectClass: organizationalUnit
ou: groups

dn: cn=Ansel Brandvold,ou=divers,{SUFFIX}
objectClass: inetOrgPerson
cn: Ansel Brandvold
sn: Brandvold
title: Lead diver
telephoneNumber: +1 555 0142
userPassword: nitrox-at-dawn
jpegPhoto:: /9j/4AAQSkZJRgABAQAAAQABAAD/2w==

dn: cn=Imke Farrow,ou=divers,{SUFFIX}
objectClass: inetOrgPerson
cn: Imke Farrow
sn: Farrow
description: Nachtwächterin\\, Riff

dn: cn=Réef\\, Guard,ou=divers,{SUFFIX}
objectClass: inetOrgPerson
cn: Réef, Guard
sn: Guard

dn: cn=night-dive-leads,ou=groups,{SUFFIX}
objectClass: groupOfNames
cn: night-dive-leads
member: cn=Ansel Brandvold,ou=divers,{SUFFIX}
member: cn=Imke Farrow,ou=divers,{SUFFIX}

dn: cn=boat-crew,ou=groups,{SUFFIX}
objectClass: groupOfNames
cn: boat-crew
member: cn=Imke Farrow,ou=divers,{SUFFIX}
"""

READER = f"cn=reader,{SUFFIX}"
READER_LDIF = f"""\
dn: {READER}
objectClass: organizationalRole
objectClass: simpleSecurityObject
cn: reader
userPassword: {PASSWORD}
"""


def dn(name: str, unit: str = "divers") -> str:
    return f"cn={name},ou={unit},{SUFFIX}"


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix: None) -> None:
    """Let Django's database of the tests begin as the others do."""
    settings.DATABASES["default"].setdefault("TEST", {})["TEMPLATE"] = migrated()


@pytest.fixture
def start_slapd(tmp_path: Path) -> Iterator[Callable[..., Slapd]]:
    started: list[Slapd] = []

    def start(**options: object) -> Slapd:
        server = Slapd(tmp_path / f"slapd-{len(started)}", PASSWORD, **options)  # type: ignore[arg-type]
        started.append(server)
        server.load(SMALL)
        return server

    yield start
    for server in started:
        server.stop()


@pytest.fixture
def slapd(start_slapd: Callable[..., Slapd]) -> Slapd:
    return start_slapd()


@pytest.fixture
def people(db: None, slapd: Slapd) -> System:
    """The small directory as a system."""
    return system_for(slapd)


def system_for(server: Slapd, user: str = ADMIN, **options: str) -> System:
    return add_system(
        "People", "directory", server.address, {"base": SUFFIX, **options}, user, PASSWORD
    )


@pytest.fixture(autouse=True)
def _quick_passwords() -> None:
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
