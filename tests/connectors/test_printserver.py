"""The connector for print servers on a real CUPS, judged by its own tools."""

import http.server
import re
import socket
import threading
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path as FilePath
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st

from demo import labels
from demo.servers import cups
from demo.servers.cups import Cups
from keepsort.connectors import errors
from keepsort.connectors.base import Connector, Endpoint, Trying
from keepsort.connectors.printserver import PRINTSERVER, ipp
from keepsort.connectors.printserver.drivers import divided, joined
from keepsort.connectors.printserver.trial import print_page
from keepsort.core.compare import compare, compare_attributes
from keepsort.core.compare.anchors import key_names
from keepsort.core.model import Path
from keepsort.core.plan import PLAIN, AttributePick, Composer, Pick, plan_restore
from tests.connectors.contract import EVERYTHING, Contract, Desk, Keeper

pytestmark = pytest.mark.skipif(not cups.is_installed(), reason="no cups here")


class LabelsSubject:
    """The print server of the aquarium."""

    composer: Composer = PLAIN
    states = {"changed", "missing", "extra"}

    def __init__(self, server: Cups) -> None:
        self.server = server

    def open(self) -> Connector:
        return PRINTSERVER.open(Endpoint(address=self.server.address), Keeper())

    def call(self, calls: labels.Calls) -> None:
        for tool, *words in calls:
            self.server.tool(tool, *words)

    def harm(self) -> None:
        self.call(labels.trouble())
        self.call(
            [
                ["lpadmin", "-x", "tickets-1"],
                ["lpadmin", "-p", "new", "-E", "-v", "socket://192.0.2.1:9100", "-m", "raw"],
                ["lpadmin", "-p", "vets", "-u", "allow:all", "-L", "", "-o", "copies-default=3"],
                ["lpadmin", "-p", "animal-cards", "-o", "printer-is-shared=false"],
                ["lpadmin", "-p", "animal-cards", "-o", "job-sheets-default=secret,secret"],
                ["cupsdisable", "vets"],
                ["lpadmin", "-d", "office"],
            ]
        )

    def meddle(self, path: Path) -> None:
        if path:
            self.server.admin("-p", path[0], "-D", "somebody")
        else:
            self.server.admin("-d", "vets")

    def hide(self) -> None:
        return None


@pytest.fixture
def server(tmp_path: FilePath) -> Iterator[Cups]:
    tmp_path.chmod(0o755)
    found = Cups(tmp_path / "cups")
    yield found
    found.stop()


@pytest.fixture
def subject(server: Cups) -> LabelsSubject:
    subject = LabelsSubject(server)
    subject.call(labels.printers())
    return subject


class TestPrintServer(Contract):
    pass


def told(server: Cups) -> str:
    """What the server's own tools say, without since when."""
    words = [server.tool("lpstat", "-l", "-t")]
    words += [server.tool("lpstat", "-v"), server.tool("lpstat", "-d")]
    for name in ("tank-labels", "vets", "signs-hall"):
        try:
            text = (server.folder / f"root/ppd/{name}.ppd").read_text()
            words.append("\n".join(re.findall(r"^\*Default\w+: .*$", text, re.MULTILINE)))
        except OSError:
            words.append("")
    return re.sub(r" since .*", "", "\n".join(words))


def test_the_servers_own_tools_see_what_was_put_back(subject: LabelsSubject) -> None:
    before = told(subject.server)
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    assert told(subject.server) != before
    desk.carry_out(desk.plan(compare(backup, desk.look()), EVERYTHING).steps)
    assert told(subject.server) == before


def test_one_address_goes_back_and_nothing_else(subject: LabelsSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(("tickets-2",), "attributes", (AttributePick("device"),))])
    text = desk.connector.render(plan.steps[0])
    assert text.splitlines() == [
        "CUPS-Add-Modify-Printer",
        "  printer-uri = ipp://localhost/printers/tickets-2",
        "  device-uri = socket://192.0.2.72:9100",
    ]
    desk.carry_out(plan.steps)
    assert "socket://192.0.2.72:9100" in subject.server.tool("lpstat", "-v", "tickets-2")
    assert "signs-hall" not in subject.server.tool("lpstat", "-v")


def test_one_option_of_a_driver_goes_back_alone(subject: LabelsSubject) -> None:
    server = subject.server
    desk = Desk(subject)
    backup = desk.look()

    def chosen(option: str) -> str:
        lines = server.tool("lpoptions", "-p", "tank-labels", "-l").splitlines()
        line = next(one for one in lines if one.startswith(option))
        return next(word for word in line.split() if word.startswith("*"))[1:]

    assert chosen("PageSize") == "w101h252"
    server.admin("-p", "tank-labels", "-o", "PageSize=w54h144", "-o", "cupsDarkness=Dark")
    comparison = compare(backup, desk.look())
    [difference] = comparison.differences
    assert difference.attributes == ("options",)
    then = backup.get(("tank-labels",))
    now = desk.connector.look([("tank-labels",)])[0].found
    assert then is not None
    assert now is not None
    assert "Return Address" in now.facts["set"].values()
    assert "w54h144" not in re.findall(r"^\*Default.*$", now.attributes["driver"], re.MULTILINE)
    told = compare_attributes(backup.schema, "queue", then.attributes, now.attributes)
    [options] = [one for one in told if one.name == "options"]
    names = key_names(options.keys)
    assert [one.keys for one in options.keys if one.number] == [
        ("PageSize",),
        ("cupsDarkness",),
    ]
    paper = next(names[one.number] for one in options.keys if one.keys == ("PageSize",))
    pick = Pick(("tank-labels",), "attributes", (AttributePick("options", parts=(paper,)),))
    plan = desk.plan(comparison, [pick])
    desk.carry_out(plan.steps)
    assert chosen("PageSize") == "w101h252"
    assert chosen("cupsDarkness") == "Dark"


@pytest.mark.parametrize("file", sorted(FilePath("/usr/share/ppd").rglob("*.ppd")), ids=str)
def test_a_driver_is_put_together_again_as_it_was(file: FilePath) -> None:
    text = file.read_text(errors="replace")
    driver, options = divided(text)
    assert options
    assert (
        joined(driver, options).split()
        == re.sub(r"(?m)^(\*Default\w+):(?=\S)", r"\1: ", text).split()
    )
    assert divided(joined(driver, options)) == (driver, options)


def test_a_class_brings_the_queues_it_holds(subject: LabelsSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.call([["lpadmin", "-x", "ticket-desks"], ["lpadmin", "-x", "tickets-1"]])
    plan = desk.plan(compare(backup, desk.look()), [Pick(("ticket-desks",))])
    assert [step.path for step in plan.steps] == [("tickets-1",), ("ticket-desks",)]
    desk.carry_out(plan.steps)
    members = subject.server.tool("lpstat", "-c", "ticket-desks").split()[-2:]
    assert members == ["tickets-1", "tickets-2"]


def test_waiting_jobs_and_classes_that_lose_a_queue_are_told(
    subject: LabelsSubject, tmp_path: FilePath
) -> None:
    server = subject.server
    desk = Desk(subject)
    server.admin("-p", "extra", "-E", "-v", "socket://192.0.2.5:9100", "-m", "raw")
    backup = desk.look()
    server.admin("-x", "extra")
    without = desk.look()
    server.admin("-p", "spare", "-E", "-v", "socket://192.0.2.7:9100", "-m", "raw")
    server.admin("-p", "extra", "-E", "-v", "socket://192.0.2.6:9100", "-m", "raw")
    server.tool("cupsdisable", "extra")
    server.admin("-p", "extra", "-c", "desks")
    page = tmp_path / "page.txt"
    page.write_text("a tank label\n")
    server.tool("lp", "-d", "extra", "-t", "label of tank 4", str(page))
    for left, picks in ((backup, [Pick(("extra",))]), (without, [Pick(("extra",), "remove")])):
        plan = plan_restore(compare(left, desk.look()), picks)
        found = {f.code: f for f in desk.connector.check(plan.steps, left)}
        assert found["jobs-wait"].level == "confirm"
        assert "label of tank 4" in found["jobs-wait"].text
    # what the server would do by itself, no undo could take back
    assert found["class-loses"].level == "stop"
    server.admin("-d", "spare")
    gone = plan_restore(compare(without, desk.look()), [Pick(("spare",), "remove")])
    assert "default-goes" in {f.code for f in desk.connector.check(gone.steps, without)}


def test_what_answers_otherwise_is_told(server: Cups) -> None:
    class Odd(http.server.BaseHTTPRequestHandler):
        answers = [b"<html>", b"\2\0\0\0\0\0\0\1", b"\2\0\0\0\0\0\0\1\4" + b"\x41\0\5na", b""]

        def do_POST(self) -> None:
            body = self.answers[0]
            self.answers.append(self.answers.pop(0))
            self.send_response(200)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *_: object) -> None:
            pass

    odd = http.server.HTTPServer(("127.0.0.1", 0), Odd)
    threading.Thread(target=odd.serve_forever, daemon=True).start()
    connector = PRINTSERVER.open(Endpoint(address=f"ipp://127.0.0.1:{odd.server_port}"), Keeper())
    for _ in Odd.answers:
        with pytest.raises(errors.OddAnswer):
            connector.describe()
    odd.shutdown()
    for address in ("http://127.0.0.1:1", "ipp://127.0.0.1:99999", "ipp://h/printers/x"):
        with pytest.raises(errors.Misconfigured):
            PRINTSERVER.open(Endpoint(address=address), Keeper())
    with pytest.raises(errors.Misconfigured, match="as it is"):
        PRINTSERVER.open(Endpoint(address="ipp://192.0.2.1", user="x", password="y"), Keeper())
    gone = PRINTSERVER.open(Endpoint(address="ipp://127.0.0.1:9"), Keeper())
    with pytest.raises(errors.Unreachable):
        gone.describe()


value = st.one_of(
    st.tuples(st.just(ipp.INTEGER), st.integers(-(1 << 31), (1 << 31) - 1)),
    st.tuples(st.just(ipp.BOOLEAN), st.booleans()),
    st.tuples(st.sampled_from([ipp.TEXT, ipp.NAME, ipp.KEYWORD, ipp.URI]), st.text(max_size=30)),
)


@given(
    st.dictionaries(
        st.text("abc-", min_size=1, max_size=8), st.lists(value, min_size=1, max_size=3)
    )
)
def test_what_is_encoded_is_read_back(attributes: dict[str, list[tuple[int, object]]]) -> None:
    sent, expected = [], {}
    for name, values in attributes.items():
        tag = values[0][0]
        same = [v for t, v in values if t == tag]
        sent.append(ipp.Given(name, tag, tuple(same)))
        expected[name] = same
    raw = ipp.request(0x4003, 7, [], sent)
    answer = ipp.read(raw[:2] + b"\0\0" + raw[4:] + b"rest")
    assert answer.groups == ([expected] if expected else [])
    assert answer.operation["attributes-charset"] == ["utf-8"]
    assert answer.data == b"rest"


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused(raw: bytes) -> None:
    for one in (raw, b"\2\0\0\0\0\0\0\1" + raw):
        with suppress(ValueError):
            ipp.read(one)


@pytest.fixture
def printing() -> Iterator[Cups]:
    """A server whose own programs, which are nobody's, can reach what waits to be printed."""
    with TemporaryDirectory() as folder:
        FilePath(folder).chmod(0o755)
        found = Cups(FilePath(folder) / "cups")
        yield found
        found.stop()


def test_a_test_page_is_printed_and_said_to_be_only_where_it_was(printing: Cups) -> None:
    server = printing
    paper = socket.create_server(("127.0.0.1", 0))
    printed: list[bytes] = []

    def take() -> None:
        line, _ = paper.accept()
        while some := line.recv(4096):
            printed.append(some)

    threading.Thread(target=take, daemon=True).start()
    device = f"socket://127.0.0.1:{paper.getsockname()[1]}"
    server.admin("-p", "sign", "-E", "-v", device, "-m", "raw")
    server.admin("-p", "away", "-E", "-v", device, "-m", "raw")
    server.tool("cupsdisable", "away")
    connector = PRINTSERVER.open(Endpoint(address=server.address), Keeper())
    assert isinstance(connector, Trying)
    said = connector.try_out(("sign",), "queue")
    assert re.fullmatch(r"Job \d+, the test page, was printed\.", said)
    assert b"Test page for sign" in b"".join(printed)
    job = re.search(r"\d+", said)
    assert job is not None
    assert f"sign-{job[0]}" in server.tool("lpstat", "-W", "completed", "-o")
    waits = print_page(connector._client, connector._client.uri("away"), "away", lambda _: None)  # type: ignore[attr-defined]
    assert re.fullmatch(r"Job \d+, the test page, was taken and .* waits its turn.*\.", waits)
    with pytest.raises(errors.Refused):
        connector.try_out(("nobody",), "queue")
    connector.close()
