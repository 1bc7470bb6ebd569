"""The OVSDB connector on a real server, judged by the switch's own tool."""

import json
from collections.abc import Iterator
from pathlib import Path as FilePath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from demo import lagoon_net
from demo.servers import ovsdb
from demo.servers.ovsdb import OvsdbServer
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Connector, Endpoint
from keepsort.connectors.ovsdb import OVSDB
from keepsort.connectors.ovsdb.columns import Base, Column, read_value, write_value
from keepsort.core.compare import compare
from keepsort.core.model import Path
from keepsort.core.plan import PLAIN, AttributePick, Composer, Pick, plan_restore
from keepsort.core.snapshot import Draft
from keepsort.core.soundness import unsound
from tests.connectors.contract import EVERYTHING, Contract, Desk, Keeper, apply, content

pytestmark = pytest.mark.skipif(not ovsdb.is_installed(), reason="no openvswitch-switch here")
REEF = ("br-lagoon", "cam-reef-1")


class SwitchSubject:
    """The switch of the lagoon."""

    composer: Composer = PLAIN
    states = {"changed", "missing", "extra"}

    def __init__(self, server: OvsdbServer, **options: str) -> None:
        self.server = server
        self.options = options
        self.keeper = Keeper()

    def open(self) -> Connector:
        endpoint = Endpoint(address=self.server.address, options=self.options)
        return OVSDB.open(endpoint, self.keeper)

    def harm(self) -> None:
        self.server.vsctl(*lagoon_net.trouble())
        self.server.vsctl("del-port", "kiosk", "--", "del-br", "br-quarantine")
        self.server.vsctl("set", "Interface", "guest-wifi", "ingress_policing_rate=1")
        self.server.vsctl("set", "Bridge", "br-lagoon", "fail_mode=standalone")
        self.server.vsctl("clear", "Port", "uplink", "qos", "--", "--all", "destroy", "QoS")
        self.server.vsctl("--all", "destroy", "Queue", "--", "del-controller", "br-lagoon")
        self.server.vsctl("set", "Open_vSwitch", ".", "external_ids:site=elsewhere")

    def meddle(self, path: Path) -> None:
        self.server.vsctl("set", *self._record(path), "external_ids:by=somebody")

    def _record(self, path: Path) -> tuple[str, str]:
        tables = ("Open_vSwitch", "Bridge", "Port", "Interface")
        return tables[len(path)], path[-1] if path else "."

    def hide(self) -> None:
        return None


@pytest.fixture
def server(tmp_path: FilePath) -> Iterator[OvsdbServer]:
    found = OvsdbServer(tmp_path / "ovsdb")
    yield found
    found.stop()


@pytest.fixture
def subject(server: OvsdbServer) -> SwitchSubject:
    server.vsctl(*lagoon_net.switch())
    return SwitchSubject(server)


class TestOvsdb(Contract):
    pass


def test_the_switchs_own_tool_sees_what_was_put_back(subject: SwitchSubject) -> None:
    server = subject.server

    def told() -> list[str]:
        told = [server.vsctl("show")]
        for table, columns in (
            ("Port", "name,tag,trunks,vlan_mode,lacp,bond_mode,interfaces,qos"),
            ("Mirror", "name,select_src_port,output_port"), ("QoS", "_uuid,type,queues"),
            ("Interface", "name,type,options,ingress_policing_rate"), ("Queue", "_uuid,dscp"),
            ("Bridge", "name,fail_mode,ports,mirrors,controller"),
        ):  # fmt: skip
            rows = json.loads(server.vsctl("-f", "json", f"--columns={columns}", "list", table))
            told.append(json.dumps([sorted(map(json.dumps, rows["data"])), rows["headings"]]))
        return told

    before = told()
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    assert told() != before
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    desk.carry_out(plan.steps)
    assert told() == before, "the same rows, with the same ids and references"


def test_one_vlan_goes_back_and_nothing_else(subject: SwitchSubject) -> None:
    server = subject.server
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(REEF, "attributes", (AttributePick("tag"),))])
    found = {f.code: f for f in desk.connector.check(plan.steps, backup)}
    assert found["interrupts"].level == "confirm"
    assert "VLAN 20 → 30" in found["interrupts"].text
    text = desk.connector.render(plan.steps[0])
    operations = [json.loads(one) for one in text.replace("}\n{", "}\0{").split("\0")]
    assert [one["op"] for one in operations] == ["wait", "update"]
    assert '"tag": 30' in text
    assert "/br-lagoon/cam-reef-1" in text
    desk.carry_out(plan.steps)
    assert server.vsctl("get", "Port", "cam-reef-1", "tag").strip() == "30"
    assert server.vsctl("get", "Port", "cam-reef-2", "tag").strip() == "20"
    assert "test-laptop" in server.vsctl("list-ports", "br-lagoon")


def test_a_mirror_comes_back_with_what_it_shows(subject: SwitchSubject) -> None:
    server = subject.server
    desk = Desk(subject)
    backup = desk.look()
    server.vsctl("clear", "Bridge", "br-lagoon", "mirrors", "--", "del-port", "cam-seals")
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(("br-lagoon", "Mirror cameras"))])
    seals = ("br-lagoon", "cam-seals")
    reasons = {step.path: step.reason for step in plan.steps}
    assert "refers to it" in reasons[seals]
    assert reasons[(*seals, "cam-seals")] == "cam-seals cannot be without it"
    desk.carry_out(plan.steps)
    shown = server.vsctl("get", "Mirror", "cameras", "select_src_port")
    assert server.vsctl("get", "Port", "cam-seals", "_uuid").strip() in shown


def test_where_rows_get_new_ids_references_follow(subject: SwitchSubject) -> None:
    """As on servers that do not take the id that a new row is to have."""
    vsctl = subject.server.vsctl
    desk = Desk(subject)
    desk.connector.__dict__["_keeps_ids"] = False
    backup = desk.look()
    before = vsctl("get", "Port", "cam-seals", "_uuid")
    vsctl("clear", "Bridge", "br-lagoon", "mirrors", "--", "del-port", "cam-seals")
    vsctl("del-port", "recorder", "--", "del-br", "br-quarantine")
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    desk.carry_out(plan.steps)
    assert content(desk.look()) == content(backup)
    after = vsctl("get", "Port", "cam-seals", "_uuid")
    assert after != before
    assert after.strip() in vsctl("get", "Mirror", "cameras", "select_src_port")
    vsctl("clear", "Port", "uplink", "qos", "--", "--all", "destroy", "QoS")
    lost = plan_restore(compare(backup, desk.look()), EVERYTHING)
    stops = {f.code for f in desk.connector.check(lost.steps, backup) if f.level == "stop"}
    assert stops == {"new-id"}, "it is called by nothing but its id"


def test_looking_again_at_some_sees_what_looking_at_all_sees(subject: SwitchSubject) -> None:
    vsctl = subject.server.vsctl
    paths = [REEF, ("br-lagoon", "Mirror cameras"), ("br-quarantine", "q-cam"), (), ("br-new",)]
    watching = subject.open()
    watching.look(paths)
    for words in (
        ("set", "Port", "cam-reef-1", "tag=77"),
        ("set", "Mirror", "cameras", "name=screens"),
        ("del-port", "q-cam"),
        ("add-br", "br-new"),
        ("add-port", "br-lagoon", "extra", "--", "--id=@e", "get", "Port", "extra", "--", "set",
         "Mirror", "screens", "output_port=@e"),
        ("set", "Open_vSwitch", ".", "external_ids:site=pier"),
        ("del-br", "br-new", "--", "add-port", "br-quarantine", "q-cam"),
    ):  # fmt: skip
        vsctl(*words)
        fresh = subject.open()
        assert watching.look(paths) == fresh.look(paths), words
        assert watching.look(paths[:1]) == fresh.look(paths[:1])


def test_what_would_not_be_taken_is_told_before(subject: SwitchSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.server.vsctl("set", "Port", "cam-reef-1", "tag=20", "--", "del-port", "kiosk")
    live = desk.look()
    plan = plan_restore(compare(backup, live), [Pick(REEF)])
    step = plan.steps[0]
    far = type(step)(
        **{
            **{f: getattr(step, f) for f in step.__struct_fields__},
            "after": {**step.after, "tag": 5000},
        }
    )
    found = {f.code: f for f in desk.connector.check([far], backup)}
    assert "between 0 and 4095" in found["not-in-limits"].text
    with pytest.raises(errors.Refused, match="constraint"):
        apply(desk.connector, far)
    assert read(desk.connector, [REEF])[0].attributes["tag"] == 20  # type: ignore[union-attr]
    port = ("br-lagoon", "kiosk")
    comparison = compare(backup, live)
    assert [s.path for s in desk.plan(comparison, [Pick(port)]).steps] == [port, (*port, "kiosk")]
    subject.server.vsctl("add-port", "br-lagoon", "spare")
    last = Pick(("br-lagoon", "spare", "spare"), "remove")
    refused = plan_restore(compare(backup, desk.look()), [last])
    assert [f.code for f in refused.findings if f.level == "stop"] == ["last-of-its-kind"]
    assert "Take it away whole" in refused.findings[0].text


def test_what_is_unsound_is_told(subject: SwitchSubject) -> None:
    desk = Desk(subject)
    assert desk.connector.validate(desk.look()) == []
    assert not list(unsound(desk.look()))
    subject.server.vsctl("clear", "Mirror", "cameras", "output_port")
    subject.server.vsctl("clear", "Port", "uplink", "qos", "--", "--all", "destroy", "QoS")
    problems = [p.text for p in desk.connector.validate(desk.look())]
    assert sum("no output" in text for text in problems) == 1
    assert sum("belongs to no QoS" in text for text in problems) == 2


def test_a_name_that_two_have_is_told(subject: SwitchSubject) -> None:
    desk = Desk(subject)
    draft = Draft(desk.look())
    other = draft.get(REEF)
    assert other is not None
    draft.put(("br-quarantine", REEF[-1]), other)
    (problem,) = desk.connector.validate(draft.finish())
    assert problem.path == ("br-quarantine", REEF[-1])
    assert "/br-lagoon/cam-reef-1 has this name too" in problem.text


def test_secrets_in_maps_are_kept_out(subject: SwitchSubject) -> None:
    server = subject.server
    server.vsctl(
        "set", "Interface", "cam-kelp", "options:psk=kraken", "options:remote_ip=192.0.2.9"
    )
    desk = Desk(subject)
    backup = desk.look()
    kept = backup.get(("br-lagoon", "cam-kelp", "cam-kelp"))
    assert kept is not None
    assert "kraken" not in str(kept)
    assert kept.attributes["options"]["remote_ip"] == "192.0.2.9"
    server.vsctl("remove", "Interface", "cam-kelp", "options", "psk")
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    assert "kraken" not in desk.connector.render(plan.steps[0])
    assert "keepsort-secret" not in desk.connector.render(plan.steps[0])
    desk.carry_out(plan.steps)
    assert "kraken" in server.vsctl("get", "Interface", "cam-kelp", "options")


NUMBERS = Column("n", Base("integer"), None, 0, 1 << 62, True, False)
NUMBERED = Column("m", Base("integer"), Base("string"), 0, 1 << 62, True, False)
ONE = Column("o", Base("boolean"), None, 0, 1, True, False)


@given(
    st.sets(st.integers(-9, 9), max_size=4),
    st.dictionaries(st.integers(0, 9), st.text(max_size=3), max_size=3),
    st.none() | st.booleans(),
)
def test_values_come_back_as_they_went(
    numbers: set[int], numbered: dict[int, str], one: bool | None
) -> None:
    def there_and_back(column: Column, datum: object) -> object:
        value = read_value(column, datum, str)
        return read_value(column, write_value(column, value, str), str), value

    for column, datum in (
        (NUMBERS, ["set", list(numbers)]),
        (NUMBERED, ["map", [[k, v] for k, v in numbered.items()]]),
        (ONE, ["set", []] if one is None else one),
    ):
        again, value = there_and_back(column, datum)  # type: ignore[misc]
        assert again == value
    # a set of one is written as the one alone
    assert read_value(NUMBERS, 5, str) == [5]


OTHER = {
    "name": "Tide", "version": "1.0.0",
    "tables": {
        "Gauge": {
            "columns": {
                "name": {"type": "string", "mutable": False},
                "depth": {"type": "real"},
                "readings": {"type": {"key": {"type": "uuid", "refTable": "Reading"}, "min": 0,
                                      "max": "unlimited"}},
            },
            "isRoot": True, "indexes": [["name"]],
        },
        "Reading": {"columns": {"hour": {"type": "integer"}, "note": {"type": "string"}}},
    },
}  # fmt: skip


def test_any_database_has_a_tree(tmp_path: FilePath) -> None:
    schema = tmp_path / "tide.ovsschema"
    schema.write_text(json.dumps(OTHER))
    server = OvsdbServer(tmp_path / "tide", schema)
    try:
        rows = [
            {"op": "insert", "table": "Reading", "row": {"hour": 3, "note": "low"}, "uuid-name": "r"},
            {"op": "insert", "table": "Gauge",
             "row": {"name": "pier", "depth": 2.5, "readings": ["named-uuid", "r"]}},
        ]  # fmt: skip
        server.client("transact", json.dumps(["Tide", *rows]))
        subject = SwitchSubject(server, database="Tide")
        desk = Desk(subject)
        backup = desk.look()
        kinds = {node.path[:1]: node.entry.kind for node in backup.walk() if len(node.path) < 2}
        assert kinds == {(): "database", ("pier",): "Gauge"}
        server.client(
            "transact", json.dumps(["Tide", {"op": "delete", "table": "Gauge", "where": []}])
        )
        plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
        desk.carry_out(plan.steps)
        assert content(desk.look()) == content(backup)
        assert "2.5" in server.client("dump", "Tide")
        with pytest.raises(errors.Misconfigured, match=r"It has: .*Tide"):
            SwitchSubject(server, database="Other").open()
    finally:
        server.stop()
