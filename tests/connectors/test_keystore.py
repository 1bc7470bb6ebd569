"""The key store connector against a real etcd."""

from collections.abc import Callable, Iterator
from pathlib import Path as FilePath

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from demo.servers.etcd import Etcd
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Endpoint
from keepsort.connectors.keystore.connector import SCHEMA, KeyStore
from keepsort.connectors.keystore.names import Names
from keepsort.connectors.keystore.values import COMPOSER, stored, typed
from keepsort.core.compare import compare
from keepsort.core.model import ConfigObject, Path
from keepsort.core.plan import AttributePick, Pick
from keepsort.core.snapshot import MemoryStore, SnapshotBuilder
from tests.connectors.contract import Contract, Desk, apply, content, not_allowed

ODD = b"\x00\xffnot a text"


@pytest.fixture(scope="module")
def etcd(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Etcd]:
    server = Etcd(tmp_path_factory.mktemp("etcd"), options=["--unsafe-no-fsync"])
    yield server
    server.stop()


def opened(server: Etcd, user: str = "", password: str = "", **options: str) -> KeyStore:
    options = {"prefix": "/plant/", **options}
    address = options.pop("address", server.address)
    return KeyStore(Endpoint(address=address, options=options, user=user, password=password))


class KeySubject:
    """A small plant, in keys."""

    composer = COMPOSER
    states = {"missing", "extra", "changed"}

    def __init__(self, server: Etcd) -> None:
        self.server = server
        server.ctl("del", "--prefix", "/")
        server.put("/plant/chiller/interlock", "true")
        server.put("/plant/chiller/limits", '{"low": 4.50, "high": 18,\n "unit": "C"}')
        server.put("/plant/chiller", "quarantine chiller")
        server.put("/plant/chiller-2/interlock", "false")
        server.put("/plant/flow", "1.50")
        server.put("/plant/flow/offset", "-7")
        server.put("/plant/logo", ODD)
        server.put("/plant//double/", "")
        server.put("/plant/calibration/ph/4", "4.01")
        server.put("/plant/calibration/ph/7", "7.00")
        server.put("/plant/notes", "line one\nline two\nÄ line\n")
        server.put("/plant/schedule", '{"pump":{"start":"06:00","stop":"22:00"}}')
        server.put("/elsewhere", "not ours")

    def open(self) -> KeyStore:
        return opened(self.server)

    def harm(self) -> None:
        self.server.put("/plant/chiller/interlock", "false")
        self.server.put("/plant/chiller/limits", '{"low": 4.50, "high": 81,\n "unit": "F"}')
        self.server.ctl("del", "--prefix", "/plant/calibration/")
        self.server.delete("/plant/chiller")
        self.server.put("/plant/flow", "1.5000")
        self.server.put("/plant/logo", b"\x01\xfe")
        self.server.put("/plant/notes", "line one\nline 2\nÄ line\n")
        self.server.put("/plant/schedule", '{"pump":{"start":"05:00","stop":"23:00"}}')
        self.server.put("/plant/new/key", "somebody's")

    def meddle(self, path: Path) -> None:
        self.server.put("/plant/" + "/".join(path), "meddled with")

    def hide(self) -> None:
        return None  # roles need their own server: tested below


class TestKeyStore(Contract):
    @pytest.fixture
    def subject(self, etcd: Etcd) -> KeySubject:
        return KeySubject(etcd)


@given(st.binary(max_size=30), st.sampled_from([b"/plant/", b"", b"/"]))
def test_every_key_has_its_own_path(rest: bytes, prefix: bytes) -> None:
    names = Names(prefix.decode())
    path = names.path(prefix + rest)
    assert all(path)
    assert names.key(path) == prefix + rest


@given(
    st.one_of(
        st.binary(max_size=20),
        st.from_regex(
            r'(\{("a": ?(1|1\.50|"x"),? ?)*\}|-?[0-9]{1,20}(\.[0-9]+)?(e5)?)', fullmatch=True
        ).map(str.encode),
        st.sampled_from(
            [
                b"true",
                b"false",
                b"null",
                b"1e999",
                b"007",
                b"-0",
                b"1.0",
                b'{"a":1,"a":2}',
                b'{"a":36893488147419103232}',
                b'{"a":[{"b":-9223372036854775809}]}',
                b'{"a":1e400}',
                b'{"a":"\\ud800"}',
                b'{"a":' * 120 + b"1" + b"}" * 120,
                b'{"a":1234567890123456789}',
            ]
        ),
    )
)
def test_typing_never_changes_a_byte(raw: bytes) -> None:
    attributes = typed(raw)
    assert stored(attributes) == raw
    builder = SnapshotBuilder(MemoryStore(), SCHEMA)
    builder.add((), ConfigObject(name="", kind="key", attributes=attributes))
    assert builder.finish().get(()).attributes == attributes  # type: ignore[union-attr]


def test_values_are_typed_by_what_they_are(etcd: Etcd) -> None:
    tree = Desk(KeySubject(etcd)).look()
    value = {n.path: tree.object(n).attributes.get("value") for n in tree.walk()}
    assert value[("chiller", "interlock")] is True
    assert value[("chiller", "limits")] == {"low": 4.5, "high": 18, "unit": "C"}
    assert value[("flow",)] == 1.5
    assert value[("flow", "offset")] == -7
    assert value[("logo",)] == ODD
    assert value[("%", "double", "%")] == ""
    assert tree.get(("calibration",)).kind == "folder"  # type: ignore[union-attr]
    assert ("elsewhere",) not in value


def test_one_key_of_a_json_value_goes_back_and_the_rest_stays_as_it_is_written(etcd: Etcd) -> None:
    subject = KeySubject(etcd)
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    part = AttributePick("value", hunks=(1,))  # "high" comes before "unit"
    plan = desk.plan(
        compare(backup, desk.look()), [Pick(("chiller", "limits"), "attributes", (part,))]
    )
    desk.carry_out(plan.steps)
    now = etcd.ctl("get", "--print-value-only", "/plant/chiller/limits").rstrip("\n")
    assert now == '{"low": 4.50, "high": 18,\n "unit": "F"}'


def test_many_keys_go_in_transactions_of_the_servers_size(etcd: Etcd) -> None:
    subject = KeySubject(etcd)
    etcd.put_all({f"/plant/many/{n}": str(n) for n in range(300)})
    desk = Desk(subject)
    backup = desk.look()
    etcd.ctl("del", "--prefix", "/plant/many/")
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(("many",), "branch")])
    assert [len(g) for g in desk.connector.groups(plan.steps)] == [128, 128, 44]  # type: ignore[attr-defined]
    codes = {f.code for f in desk.connector.check(plan.steps, backup)}
    assert "several-transactions" in codes
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)


def test_what_changed_is_asked_for_by_revision(etcd: Etcd) -> None:
    subject = KeySubject(etcd)
    connector, desk = opened(etcd), Desk(subject)
    before = desk.look()
    etcd.put("/plant/chiller/interlock", "false")
    etcd.put("/plant/deep/down/here", "new")
    changed = connector.observe_since(before)
    assert changed is not None
    assert [p for p, _ in changed] == [
        (), ("chiller", "interlock"), ("deep",), ("deep", "down"), ("deep", "down", "here"),
    ]  # fmt: skip
    etcd.delete("/plant/notes")
    assert connector.observe_since(before) is None, "which one is gone takes a full look"


def test_compaction_is_met_by_starting_again(etcd: Etcd) -> None:
    KeySubject(etcd)
    stream = opened(etcd, page_size="2").observe()
    next(stream), next(stream)
    for number in range(3):
        etcd.put("/plant/flow", str(number))
    revision = etcd.ctl("get", "/plant/flow", "-w", "json").split('"revision":')[1].split(",")[0]
    etcd.ctl("compaction", revision)
    with pytest.raises(errors.StartAgain):
        list(stream)


def test_leases_are_facts_and_their_loss_is_told(etcd: Etcd) -> None:
    subject = KeySubject(etcd)
    lease = "0123456789abcdef"  # as the server's own tool writes it, noughts in front too
    granted = {"TTL": "600", "ID": str(int(lease, 16))}
    httpx.post(f"{etcd.address}/v3/lease/grant", json=granted).raise_for_status()
    etcd.put("/plant/leased", "1", f"--lease={lease}")
    desk = Desk(subject)
    backup = desk.look()
    leased = backup.get(("leased",))
    assert leased is not None
    assert "lease" not in leased.attributes
    assert backup.object(backup.find(("leased",))).facts["lease"] == lease  # type: ignore[arg-type]
    etcd.put("/plant/leased", "2", f"--lease={lease}")
    plan = desk.plan(compare(backup, desk.look()), [Pick(("leased",))])
    desk.carry_out(plan.steps)
    assert "/plant/leased" in etcd.ctl("lease", "timetolive", lease, "--keys"), "the lease stays"
    etcd.delete("/plant/leased")
    plan = desk.plan(compare(backup, desk.look()), [Pick(("leased",))])
    assert {f.code for f in desk.connector.check(plan.steps, backup)} == {"lease-lost"}


def test_a_branch_moves_with_all_its_keys(etcd: Etcd) -> None:
    subject = KeySubject(etcd)
    desk = Desk(subject)
    backup = desk.look()
    for name in ("4", "7"):
        value = etcd.ctl("get", "--print-value-only", f"/plant/calibration/ph/{name}").strip()
        etcd.put(f"/plant/moved/away/ph/{name}", value)
    etcd.ctl("del", "--prefix", "/plant/calibration/")
    (guess,) = compare(backup, desk.look(), likeness=0.6).suggestions
    assert (guess.path, guess.live_path) == (("calibration",), ("moved", "away"))
    accepted = frozenset([(guess.path, guess.live_path)])
    comparison = compare(backup, desk.look(), likeness=0.6, accepted=accepted)
    assert "moved" in {d.state for d in comparison.differences}
    plan = desk.plan(comparison, [Pick((), "branch"), Pick((), "remove")])
    assert "move" in {s.action for s in plan.steps}
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)


@pytest.fixture
def start_etcd(tmp_path: FilePath) -> Iterator[Callable[..., Etcd]]:
    started: list[Etcd] = []

    def start(**options: object) -> Etcd:
        started.append(Etcd(tmp_path / f"etcd-{len(started)}", **options))  # type: ignore[arg-type]
        return started[-1]

    yield start
    for server in started:
        server.stop()


def test_users_roles_and_what_they_hide(start_etcd: Callable[..., Etcd]) -> None:
    server = start_etcd()
    subject = KeySubject(server)
    full = Desk(subject).look()
    server.ctl("user", "add", "root:tide")
    server.ctl("user", "add", "keeper:reef")
    server.ctl("role", "add", "chillers")
    server.ctl("role", "grant-permission", "chillers", "read", "--prefix=true", "/plant/chiller")
    server.ctl("role", "grant-permission", "chillers", "readwrite", "/plant/flow")
    server.ctl("user", "grant-role", "root", "root")
    server.ctl("user", "grant-role", "keeper", "chillers")
    server.ctl("auth", "enable")
    server.user = "root:tide"
    with pytest.raises(errors.SignInRefused):
        opened(server, "keeper", "wrong")
    with pytest.raises(errors.SignInRefused):
        list(opened(server).observe())
    keeper = opened(server, "keeper", "reef")
    seen = dict(keeper.observe())
    assert ("chiller", "interlock") in seen
    assert ("flow",) in seen
    assert ("notes",) not in seen
    assert seen[()].facts["readable"]
    hidden = read(keeper, [("notes",)])[0]
    assert hidden is not None
    assert hidden.unreadable, "what may not be read is not taken for gone"
    server.put("/plant/chiller/interlock", "false")
    server.put("/plant/flow", "2")
    desk = Desk(subject)
    desk.connector = keeper
    live = desk.look(opened(server, "root", "tide"))
    for path, allowed in ((("flow",), True), (("chiller", "interlock"), False)):
        from keepsort.core.plan import plan_restore

        steps = plan_restore(compare(full_in(desk, full), live), [Pick(path)]).steps
        assert bool(not_allowed(keeper, steps)) is not allowed
        if not allowed:
            with pytest.raises(errors.NotAllowed):
                apply(keeper, steps[0])


def full_in(desk: Desk, tree: object) -> object:
    """The same tree, in the store of another desk."""
    from keepsort.core.snapshot import SnapshotBuilder

    builder = SnapshotBuilder(desk.store, tree.schema)  # type: ignore[attr-defined]
    for node in tree.walk():  # type: ignore[attr-defined]
        builder.add(node.path, tree.object(node))  # type: ignore[attr-defined]
    return builder.finish()


def test_what_stands_in_the_way(etcd: Etcd, tmp_path: FilePath) -> None:
    with pytest.raises(errors.Unreachable):
        opened(etcd, address="http://127.0.0.1:1")
    with pytest.raises(errors.Misconfigured):
        opened(etcd, address="etcd.kelpmoor.example")
    with pytest.raises(errors.Misconfigured):
        opened(etcd, page_size="many")
    with pytest.raises(errors.Misconfigured):
        opened(etcd, address="https://127.0.0.1:1", ca_file=str(tmp_path / "none.pem"))


def test_tls_with_client_certificates(
    start_etcd: Callable[..., Etcd], certificates: FilePath
) -> None:
    server = start_etcd(tls=certificates)
    ca, cert, key = (str(certificates / n) for n in ("ca.pem", "server.pem", "server.key"))
    server.put("/plant/flow", "1")
    store = opened(server, ca_file=ca, cert_file=cert, key_file=key)
    assert len(list(store.observe())) == 2
    with pytest.raises(errors.NotTrusted):
        opened(server, cert_file=cert, key_file=key)
    with pytest.raises(errors.ConnectorError):
        opened(server, ca_file=ca)
