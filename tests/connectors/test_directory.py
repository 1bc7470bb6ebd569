"""The directory connector against a real slapd."""

import time
from collections.abc import Callable
from pathlib import Path

import pytest

from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Endpoint
from keepsort.connectors.directory.connector import Directory
from keepsort.core.compare import compare
from keepsort.core.plan import Pick, Plan, Step, plan_restore
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder
from keepsort.core.soundness import unsound
from tests.conftest import PASSWORD, READER, READER_LDIF, dn
from tests.connectors.contract import Contract, Keeper, apply
from tests.connectors.subjects import GUARD, DirectorySubject

ANSEL = ("ou=divers", "cn=Ansel Brandvold")
IMKE = ("ou=divers", "cn=Imke Farrow")
LEADS = ("ou=groups", "cn=night-dive-leads")


@pytest.fixture
def subject(start_slapd: Callable[..., Slapd]) -> DirectorySubject:
    server = start_slapd(
        access=f'access to dn.subtree="ou=groups,{SUFFIX}" by dn.exact="{READER}" none by * read\n'
        "access to * by * read"
    )
    server.load(READER_LDIF)
    return DirectorySubject(server)


class TestDirectory(Contract):
    """With a fresh directory each."""


def opened(server: Slapd, user: str = ADMIN, password: str = PASSWORD, **options: str) -> Directory:
    options = {"base": SUFFIX, **options}
    address = options.pop("address", server.address)
    return Directory(
        Endpoint(address=address, options=options, user=user, password=password), Keeper()
    )


def looked(directory: Directory, store: MemoryStore) -> Snapshot:
    builder = SnapshotBuilder(store, directory.describe().schema)
    for path, obj in directory.observe():
        builder.add(path, obj)
    return builder.finish()


def restore(directory: Directory, plan: Plan) -> None:
    assert not plan.stopped, plan.findings
    for step in plan.steps:
        assert not apply(directory, step).already


def test_entries_become_objects(slapd: Slapd) -> None:
    tree = looked(opened(slapd), MemoryStore())
    ansel = tree.get(ANSEL)
    assert ansel is not None
    assert ansel.kind == "inetOrgPerson"
    assert ansel.identity is not None
    assert "cn" not in ansel.attributes, "the name holds it already"
    assert ansel.attributes["title"] == ["Lead diver"]
    assert ansel.attributes["jpegPhoto"][0].startswith(b"\xff\xd8")
    assert ansel.attributes["userPassword"] == [Keeper().digest(b"nitrox-at-dawn")]
    assert "modifyTimestamp" in ansel.facts
    assert tree.schema.spec("groupOfNames", "member").reference
    assert tree.schema.is_required("groupOfNames", "member")
    assert tree.get(("OU=Divers", "CN=imke  FARROW")) is not None, (
        "names compare as the schema says"
    )
    assert tree.get(("ou=divers", "cn=Réef\\, Guard")) is not None
    assert tree.schema.notation.read(f"cn=R\\C3\\A9ef\\, Guard,ou=divers,{SUFFIX}") is not None


@pytest.mark.parametrize("integrity", [False, True], ids=["plain", "keeps references right"])
def test_everything_goes_back(start_slapd: Callable[..., Slapd], integrity: bool) -> None:
    overlay = "overlay refint\nrefint_attributes member\n" if integrity else ""
    server = start_slapd(overlays=overlay)
    directory, store = opened(server), MemoryStore()
    backup = looked(directory, store)
    server.change(f"""\
dn: {dn("Ansel Brandvold")}
changetype: modify
replace: title
title: Visiting diver
-
add: telephoneNumber
telephoneNumber: +1 555 0199
-
delete: jpegPhoto
-
replace: userPassword
userPassword: another

dn: {dn("Ansel Brandvold")}
changetype: modrdn
newrdn: cn=Ansel B
deleteoldrdn: 1
newsuperior: ou=visitors,{SUFFIX}

dn: {dn("Imke Farrow")}
changetype: delete

dn: {dn("night-watch", "groups")}
changetype: add
objectClass: groupOfNames
cn: night-watch
member: {dn("Ansel B", "visitors")}
""")
    while integrity and "Imke" in server.search("(cn=night-dive-leads)", "member"):
        time.sleep(0.05)  # slapd puts references right a moment later
    live = looked(directory, store)
    comparison = compare(backup, live)
    states = {d.path: d.state for d in comparison.differences}
    assert states[ANSEL] == "moved"
    assert states[IMKE] == "missing"
    assert states[("ou=groups", "cn=night-watch")] == "extra"
    restore(directory, plan_restore(comparison, [Pick((), "branch"), Pick((), "remove")]))
    after = compare(backup, looked(directory, store)).differences
    assert {(d.path, d.state, d.attributes) for d in after} == {(IMKE, "recreated", ())}
    assert "nitrox-at-dawn" not in server.search("(cn=Ansel Brandvold)", "userPassword")
    bound = opened(server, user=dn("Ansel Brandvold"), password="nitrox-at-dawn")
    assert read(bound, [ANSEL])[0] is not None, "the password is the one of the backup"


def test_only_changed_values_are_sent(slapd: Slapd) -> None:
    directory, store = opened(slapd), MemoryStore()
    backup = looked(directory, store)
    slapd.change(
        f"dn: {dn('night-dive-leads', 'groups')}\nchangetype: modify\n"
        f"delete: member\nmember: {dn('Ansel Brandvold')}\n"
    )
    plan = plan_restore(compare(backup, looked(directory, store)), [Pick(LEADS)])
    assert directory.render(plan.steps[0]) == (
        f"dn: cn=night-dive-leads,ou=groups,{SUFFIX}\nchangetype: modify\nadd: member\n"
        f"member: cn=Ansel Brandvold,ou=divers,{SUFFIX}\n-\n"
    )
    # a member that somebody adds between preview and run makes it a conflict, and stays
    added = f"add: member\nmember: {dn('Nobody')}\n"
    slapd.change(f"dn: {dn('night-dive-leads', 'groups')}\nchangetype: modify\n{added}")
    with pytest.raises(errors.Conflict):
        apply(directory, plan.steps[0])
    assert "Nobody" in slapd.search("(cn=night-dive-leads)", "member")


def test_rendered_records_are_taken_by_the_servers_own_tool(slapd: Slapd) -> None:
    directory, store = opened(slapd), MemoryStore()
    backup = looked(directory, store)
    slapd.change(
        f"dn: {dn('Imke Farrow')}\nchangetype: delete\n\n"
        f"dn: {GUARD}\nchangetype: modrdn\nnewrdn: cn=Guard\ndeleteoldrdn: 1\n\n"
        f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\ndelete: jpegPhoto\n"
    )
    plan = plan_restore(compare(backup, looked(directory, store)), [Pick((), "branch")])
    slapd.change("\n".join(directory.render(step) for step in plan.steps))
    after = compare(backup, looked(directory, store)).differences
    assert {(d.path, d.state) for d in after} == {(IMKE, "recreated")}


def test_secrets_are_masked_in_protocol_text(slapd: Slapd) -> None:
    directory = opened(slapd)
    ansel = read(directory, [ANSEL])[0]
    assert ansel is not None
    step = Step(number=1, action="create", path=ANSEL, kind=ansel.kind, after=ansel.attributes)
    assert "nitrox" not in directory.render(step)
    assert "# userPassword: a secret, not shown" in directory.render(step)


def test_a_branch_that_may_not_be_read(start_slapd: Callable[..., Slapd]) -> None:
    server = start_slapd(
        access=f'access to dn.subtree="ou=groups,{SUFFIX}" by dn.exact="{READER}" none by * read\n'
        "access to * by * read"
    )
    server.load(READER_LDIF)
    directory = opened(server, user=READER)
    hidden, gone = read(directory, [("ou=groups",), ("ou=never",)])
    assert hidden is not None
    assert hidden.unreadable
    assert gone is None


def test_one_schema_for_all_says_what_is_refused(slapd: Slapd) -> None:
    directory = opened(slapd)
    tree = looked(directory, MemoryStore())
    step = Step(
        number=1, action="create", path=("ou=divers", "cn=x"), kind="inetOrgPerson",
        after={"objectClass": ["person", "kelpFarmer"], "sn": "x", "loginShell": "/bin/sh"},
    )  # fmt: skip
    assert [f.code for f in directory.check([step], tree)] == ["unknown-class"]
    step = Step(
        number=1, action="create", path=("ou=divers", "cn=x"), kind="inetOrgPerson",
        after={"objectClass": ["person"], "sn": "x", "loginShell": "/bin/sh"},
    )  # fmt: skip
    assert [(f.code, f.attribute) for f in directory.check([step], tree)] == [
        ("not-allowed-by-schema", "loginShell")
    ]


def test_dangling_references_are_problems(slapd: Slapd) -> None:
    directory = opened(slapd)
    slapd.change(f"dn: {dn('Imke Farrow')}\nchangetype: delete\n")
    problems = list(unsound(looked(directory, MemoryStore())))
    assert {p.path for p in problems} == {LEADS, ("ou=groups", "cn=boat-crew")}


# What goes wrong, and what is said then


def test_nobody_answers(slapd: Slapd) -> None:
    slapd.stop()
    with pytest.raises(errors.Unreachable, match="Check the address"):
        opened(slapd)


def test_wrong_password(slapd: Slapd) -> None:
    with pytest.raises(errors.SignInRefused, match="give its password again"):
        opened(slapd, password="wrong")


def test_a_base_that_does_not_exist(slapd: Slapd) -> None:
    with pytest.raises(errors.NoSuchBranch, match="Check the base"):
        list(opened(slapd, base="dc=elsewhere,dc=example").observe())


def test_what_is_no_base_and_no_address(slapd: Slapd) -> None:
    with pytest.raises(errors.Misconfigured, match="no distinguished name"):
        opened(slapd, base="kelpmoor")
    with pytest.raises(errors.Misconfigured, match="no number"):
        opened(slapd, page_size="many")
    with pytest.raises(errors.Misconfigured, match="ldap://"):
        opened(slapd, address="kelpmoor.example")


def test_a_size_limit_that_the_server_imposes(start_slapd: Callable[..., Slapd]) -> None:
    server = start_slapd(limits="sizelimit size.soft=3 size.hard=3 size.prtotal=3")
    server.load(READER_LDIF)
    with pytest.raises(errors.LimitReached, match="Raise the limit"):
        list(opened(server, user=READER, page_size="2").observe())


def test_the_account_may_not_write(start_slapd: Callable[..., Slapd]) -> None:
    server = start_slapd(access="access to * by * read")
    server.load(READER_LDIF)
    directory = opened(server, user=READER)
    ansel = read(directory, [ANSEL])[0]
    assert ansel is not None
    step = Step(
        number=1, action="update", path=ANSEL, kind=ansel.kind, before=ansel.attributes,
        after={**ansel.attributes, "title": ["x"]},
    )  # fmt: skip
    with pytest.raises(errors.NotAllowed, match="Give the account the right"):
        apply(directory, step)


@pytest.mark.parametrize("way", ["ldaps", "starttls"])
def test_tls_with_the_right_ca_and_the_wrong_one(
    start_slapd: Callable[..., Slapd], certificates: Path, way: str
) -> None:
    server = start_slapd(tls=certificates)
    options = (
        {"address": f"ldaps://127.0.0.1:{server.tls_port}"}
        if way == "ldaps"
        else {"starttls": "yes"}
    )
    assert read(opened(server, ca_file=str(certificates / "ca.pem"), **options), [ANSEL])[0]
    for ca in (str(certificates / "other.pem"), ""):
        with pytest.raises(errors.NotTrusted):
            opened(server, ca_file=ca, **options)
    with pytest.raises(errors.Misconfigured):
        opened(server, ca_file=str(certificates / "names"), **options)
