"""Corners of real directories: rules of matching, options, odd names, referrals, rights."""

import unicodedata
from collections.abc import Callable

import ldap
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.servers.slapd import ADMIN, SUFFIX, Slapd
from keepsort.connectors.base import Endpoint
from keepsort.connectors.directory.connector import Directory
from keepsort.connectors.directory.naming import COMPOSER
from keepsort.core.compare import Difference, compare
from keepsort.core.model import Path
from keepsort.core.plan import AttributePick, Pick, plan_restore, plan_undo
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder
from tests.conftest import PASSWORD, READER, READER_LDIF
from tests.connectors.contract import Keeper, apply, not_allowed

#: A class whose name counts letter by letter, and one with values without a rule of equality.
SCHEMA = """\
attributetype ( 1.3.6.1.4.1.99999.1.1 NAME 'tagCode' EQUALITY caseExactMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 )
attributetype ( 1.3.6.1.4.1.99999.1.2 NAME 'scan' SYNTAX 1.3.6.1.4.1.1466.115.121.1.15 )
attributetype ( 1.3.6.1.4.1.99999.1.3 NAME 'chip' EQUALITY octetStringMatch SYNTAX 1.3.6.1.4.1.1466.115.121.1.40 )
objectclass ( 1.3.6.1.4.1.99999.2.1 NAME 'tagged' SUP top STRUCTURAL MAY ( tagCode $ scan $ chip $ cn $ sn $ userPassword $ description $ o ) )
"""


class Desk:
    """A directory, its looks, and restores from one to another as a run makes them."""

    def __init__(self, server: Slapd, user: str = ADMIN) -> None:
        self.server = server
        self.store = MemoryStore()
        endpoint = Endpoint(
            address=server.address, options={"base": SUFFIX}, user=user, password=PASSWORD
        )
        self.directory = Directory(endpoint, Keeper())

    def look(self) -> Snapshot:
        builder = SnapshotBuilder(self.store, self.directory.describe().schema)
        for path, obj in self.directory.observe():
            builder.add(path, obj)
        return builder.finish()

    def restore(self, backup: Snapshot, *picks: Pick) -> Snapshot:
        """Restore, take it all back, and restore again; return live as it then is."""
        before = self.look()
        plan = plan_restore(compare(backup, before), picks, composer=COMPOSER)
        assert not plan.stopped, plan.findings
        stamps = self.server.search("-M", "(objectClass=*)", "entryCSN")
        assert not [f for f in self.directory.check(plan.steps, backup) if f.level == "stop"]
        assert self.server.search("-M", "(objectClass=*)", "entryCSN") == stamps, (
            "asking is no change"
        )
        for step in plan.steps:
            apply(self.directory, step)
        after = self.look()
        for step in plan_undo(plan.steps, before, after):
            apply(self.directory, step)
        assert not differences(before, self.look()), "undo"
        for step in plan.steps:
            apply(self.directory, step)
        return self.look()


def differences(one: Snapshot, other: Snapshot) -> list[Difference]:
    """List what differs, but for ids: the server gives restored entries new ones."""
    found = compare(one, other).differences
    return [d for d in found if d.state != "recreated" or d.attributes]


@pytest.fixture
def desk(start_slapd: Callable[..., Slapd]) -> Desk:
    server = start_slapd(schema=SCHEMA)
    server.load(f"dn: ou=tags,{SUFFIX}\nobjectClass: organizationalUnit\nou: tags\n")
    return Desk(server)


def tag(name: str, *lines: str) -> str:
    more = "".join(f"{line}\n" for line in lines)
    return f"dn: {name},ou=tags,{SUFFIX}\nobjectClass: tagged\n{more}\n"


def put_back(desk: Desk, ldif: str, change: str, *picks: Pick) -> None:
    """Load entries, change them, restore: the server's own tool then says the same as before."""
    desk.server.load(ldif)
    backup, told = desk.look(), desk.server.search("(objectClass=tagged)")
    desk.server.change(change)
    assert compare(backup, desk.look()).differences
    found = desk.restore(backup, *(picks or [Pick((), "branch"), Pick((), "remove")]))
    assert not differences(backup, found)
    assert sorted(desk.server.search("(objectClass=tagged)").split("\n")) == sorted(
        told.split("\n")
    )


def changed(name: str, *lines: str) -> str:
    return f"dn: {name},ou=tags,{SUFFIX}\nchangetype: modify\n" + "\n".join(lines) + "\n\n"


LETTERS = st.one_of(
    st.sampled_from("abkKsSſßẞσςΣéÉÅÅﬁﬀ²İıiǅǆΩΩθϴ ’-.ⅧⅨＡａᎠꭰ"),
    st.characters(max_codepoint=0x2E7F, categories=["Lu", "Ll", "Lt", "Lo", "Nd"]),
)


@given(one=st.text(LETTERS, min_size=1, max_size=4), other=st.text(LETTERS, min_size=1, max_size=4))
@settings(max_examples=300, deadline=None)
def _names_are_the_same_to_both(desk: Desk, one: str, other: str) -> None:
    same = desk.directory.describe().schema.names.key
    pairs = [(one, other), (one, one.swapcase()), (one, unicodedata.normalize("NFD", one)),
             (one, one.casefold()), (one, f" {one}  ")]  # fmt: skip
    session = desk.directory._server.session
    for a, b in pairs:
        if not a.strip() or not b.strip():
            continue
        for kind in ("cn", "tagCode"):
            names = [f"{kind}={value.strip()}" for value in (a, b)]
            dns = [f"{name},ou=tags,{SUFFIX}" for name in names]
            entry = [("objectClass", [b"tagged"])]
            try:
                session.add_s(dns[0], entry)
            except ldap.LDAPError:
                continue
            try:
                session.add_s(dns[1], entry)
                session.delete_s(dns[1])
                told = False
            except ldap.ALREADY_EXISTS:
                told = True
            except ldap.LDAPError:
                told = same(names[0]) == same(names[1])
            session.delete_s(dns[0])
            assert (same(names[0]) == same(names[1])) == told, (names, told)


def test_names_are_the_same_where_the_server_says_so(desk: Desk) -> None:
    _names_are_the_same_to_both(desk)


def test_names_that_only_full_folding_makes_equal(desk: Desk) -> None:
    ldif = "".join(tag(f"cn={n}") for n in ("Strauß", "Strauss", "σ", "ς"))
    put_back(desk, ldif, f"dn: cn=Strauß,ou=tags,{SUFFIX}\nchangetype: delete\n\n")


def test_values_beside_the_name_that_the_rule_tells_apart(desk: Desk) -> None:
    ldif = tag("tagCode=abc", "tagCode: ABC", "tagCode: Abc") + tag("cn=Strauß", "cn: Strauss")
    put_back(
        desk, ldif,
        changed("tagCode=abc", "delete: tagCode", "tagCode: ABC", "-")
        + changed("cn=Strauß", "delete: cn", "cn: Strauss", "-"),
    )  # fmt: skip


def test_a_value_that_only_its_spelling_tells_apart(desk: Desk) -> None:
    path = ("ou=tags", "cn=pump")
    put_back(
        desk, tag("cn=pump", "sn: Feeder robot", "sn: Two"),
        changed("cn=pump", "replace: sn", "sn: FEEDER ROBOT", "sn: Two", "-"),
        Pick(path, "attributes", (AttributePick("sn", add=("Feeder robot",)),)),
    )  # fmt: skip


@pytest.mark.parametrize(
    ("old", "new", "delete"),
    [("cn=a", "cn=b", 0), ("cn=a", "cn=b", 1), ("cn=a", "tagCode=a", 0), ("cn=a", "tagCode=b", 1),
     ("cn=a+sn=b", "cn=a", 0), ("cn=a+sn=b", "cn=a", 1), ("cn=a", "cn=a+sn=b", 1),
     ("cn=a+sn=b", "sn=b+cn=c", 0), ("cn=a\\,b+sn=c\\+d", "tagCode=x", 0)],
)  # fmt: skip
def test_renames_that_keep_or_drop_the_old_value(
    desk: Desk, old: str, new: str, delete: int
) -> None:
    """As `ldapmodrdn` without -r leaves it, and with it."""
    put_back(
        desk, tag(old, "sn: kept", "description: reef"),
        f"dn: {old},ou=tags,{SUFFIX}\nchangetype: modrdn\nnewrdn: {new}\ndeleteoldrdn: {delete}\n\n",
    )  # fmt: skip


def test_a_name_whose_value_the_backup_has_as_a_value(desk: Desk) -> None:
    put_back(
        desk,
        tag("tagCode=t1", "cn: wanted"),
        f"dn: tagCode=t1,ou=tags,{SUFFIX}\nchangetype: modrdn\nnewrdn: cn=wanted\ndeleteoldrdn: 1\n\n",
    )


def test_attributes_with_options_mean_what_their_base_means(desk: Desk) -> None:
    put_back(
        desk, tag("cn=a", "description;lang-de: Seehund", "userPassword;lang-de: low-tide",
                  "description: seal"),
        changed("cn=a", "replace: description;lang-de", "description;lang-de: Robbe", "-",
                "replace: userPassword;lang-de", "userPassword;lang-de: high-tide", "-"),
    )  # fmt: skip
    tree = desk.look()
    spec = tree.schema.spec("tagged", "userPassword;lang-de")
    assert spec.secret
    entry = tree.get(("ou=tags", "cn=a"))
    assert entry is not None
    assert "low-tide" not in str(entry.attributes)
    plan = plan_restore(compare(tree, tree), [])
    assert not plan.steps


def test_octets_in_names_and_values_without_a_rule(desk: Desk) -> None:
    ldif = tag("chip=ab") + tag("chip=AB", "cn: odd", "scan: one", "scan: two")
    put_back(
        desk, ldif,
        changed("chip=AB", "replace: scan", "scan: two", "scan: three", "-"),
    )  # fmt: skip
    assert desk.look().get(("ou=tags", "chip=AB")) is not None


def test_referrals_and_aliases_are_entries_to_look_at(desk: Desk) -> None:
    desk.server.load(
        f"dn: cn=elsewhere,ou=tags,{SUFFIX}\nobjectClass: referral\nobjectClass: extensibleObject\n"
        f"cn: elsewhere\nref: ldap://far.kelpmoor.example/{SUFFIX}\n\n"
        f"dn: cn=other,ou=tags,{SUFFIX}\nobjectClass: alias\nobjectClass: extensibleObject\n"
        f"cn: other\naliasedObjectName: ou=divers,{SUFFIX}\n",
        "-M",
    )
    backup = desk.look()
    found = backup.get(("ou=tags", "cn=elsewhere"))
    assert found is not None
    assert (found.kind, found.attributes["ref"]) == (
        "referral",
        [f"ldap://far.kelpmoor.example/{SUFFIX}"],
    )
    assert backup.get(("ou=tags", "cn=other")) is not None
    desk.server.change(
        f"dn: cn=elsewhere,ou=tags,{SUFFIX}\nchangetype: modify\nreplace: ref\n"
        f"ref: ldap://near.kelpmoor.example/{SUFFIX}\n\n"
        f"dn: cn=other,ou=tags,{SUFFIX}\nchangetype: delete\n",
        "-M",
    )
    assert not differences(backup, desk.restore(backup, Pick((), "branch")))
    assert "far.kelpmoor" in desk.server.search("-M", "(objectClass=referral)", "ref")


def test_the_servers_own_settings_as_a_base(start_slapd: Callable[..., Slapd]) -> None:
    server = start_slapd(config=True)
    endpoint = Endpoint(
        address=server.address, options={"base": "cn=config"}, user="cn=admin,cn=config",
        password=PASSWORD,
    )  # fmt: skip
    directory = Directory(endpoint, Keeper())
    builder = SnapshotBuilder(MemoryStore(), directory.describe().schema)
    for path, obj in directory.observe():
        builder.add(path, obj)
    tree = builder.finish()
    assert tree.root.total > 5
    assert tree.get(("cn=schema",)) is not None


def test_what_the_account_may_not_write_is_known_before(start_slapd: Callable[..., Slapd]) -> None:
    server = start_slapd(
        access=f'access to dn.subtree="ou=groups,{SUFFIX}" by dn.exact="{READER}" read by * read\n'
        f'access to * by dn.exact="{READER}" write by * read'
    )
    server.load(READER_LDIF)
    desk = Desk(server, READER)
    backup = desk.look()
    crew, imke = ("ou=groups", "cn=boat-crew"), ("ou=divers", "cn=Imke Farrow")
    for path in (crew, imke):
        name = ",".join(reversed(path))
        server.change(
            f"dn: {name},{SUFFIX}\nchangetype: modify\nreplace: description\ndescription: x\n"
        )
    plan = plan_restore(compare(backup, desk.look()), [Pick(crew), Pick(imke)], composer=COMPOSER)
    stamps = server.search("(objectClass=*)", "entryCSN")
    assert not_allowed(desk.directory, plan.steps) == [(crew, "")]
    assert sorted(r.may for r in desk.directory.may_write(plan.steps)) == [False, True]
    assert server.search("(objectClass=*)", "entryCSN") == stamps, "asking wrote nothing"


def test_another_structural_class_is_known_before(desk: Desk) -> None:
    desk.server.load(tag("cn=a", "description: x"))
    backup = desk.look()
    name = f"cn=a,ou=tags,{SUFFIX}"
    desk.server.change(f"dn: {name}\nchangetype: delete\n")
    desk.server.load(f"dn: {name}\nobjectClass: device\ncn: a\n")
    path: Path = ("ou=tags", "cn=a")
    plan = plan_restore(compare(backup, desk.look()), [Pick(path)], composer=COMPOSER)
    codes = {f.code for f in desk.directory.check(plan.steps, backup)}
    assert "structural-class" in codes
