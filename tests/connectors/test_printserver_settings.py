"""Settings of a real CUPS, and drivers of its own."""

import re
from pathlib import Path as FilePath

import pytest
from msgspec.structs import replace

from demo.servers import cups
from demo.servers.cups import Cups
from keepsort.connectors.base import Adjusting, Endpoint
from keepsort.connectors.printserver import PRINTSERVER
from keepsort.core.compare import compare, compare_attributes
from keepsort.core.plan import AttributePick, Pick, plan_restore
from tests.connectors.contract import Desk, Keeper
from tests.connectors.test_printserver import LabelsSubject, server, subject

__all__ = ["server", "subject"]
pytestmark = pytest.mark.skipif(not cups.is_installed(), reason="no cups here")

SETTINGS = ("settings file",)


def settings_changed(server: Cups, old: str, new: str) -> None:
    """Let somebody change the server's settings, as its own tools do it."""
    place = server.folder / "root/cupsd.conf"
    place.write_text(place.read_text().replace(old, new))
    server.stop()
    server.start()


def test_settings_of_the_server_go_back_by_hunks(subject: LabelsSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    text = backup.get(SETTINGS)
    file = subject.server.folder / "root/cupsd.conf"
    assert text is not None
    assert text.attributes["text"] == file.read_text()
    settings_changed(subject.server, "LogLevel warn", "LogLevel debug\nMaxJobs 7")
    settings_changed(subject.server, "WebInterface No", "WebInterface Yes")
    live = desk.look()
    comparison = compare(backup, live)
    [difference] = comparison.differences
    found = compare_attributes(
        backup.schema, "settings",
        dict(text.attributes), dict(live.get(SETTINGS).attributes),  # type: ignore[union-attr]
    )  # fmt: skip
    [stretches] = [attribute.stretches for attribute in found]
    assert len([one for one in stretches if one.state != "same"]) == 2
    pick = Pick(SETTINGS, "attributes", (AttributePick("text", hunks=(1,)),))
    plan = desk.plan(comparison, [pick])
    assert [f.code for f in plan.findings] == ["interrupts"]
    desk.carry_out(plan.steps)
    assert difference.path == SETTINGS
    now = file.read_text()
    assert "LogLevel warn" in now
    assert "MaxJobs" not in now
    assert "WebInterface Yes" in now
    assert "debug" not in subject.server.tool("lpstat", "-r"), "it answers by its settings"
    # where it listens is said before, since no undo could reach it
    settings_changed(subject.server, "Allow from 127.0.0.1", "Allow from all")
    comparison = compare(backup, desk.look())
    plan = plan_restore(comparison, [Pick(SETTINGS)])
    codes = {(f.level, f.code) for f in desk.connector.check(plan.steps, backup)}
    assert ("confirm", "way-in-changes") in codes
    # they are never taken away
    gone = plan_restore(compare(backup, backup), [])
    assert not gone.steps


def test_settings_that_may_not_be_read_are_told_as_such(server: Cups) -> None:
    settings_changed(
        server,
        "<Location /admin>",
        "<Location /admin/conf>\nAuthType Basic\nRequire user nobody\n</Location>\n<Location /admin>",
    )
    desk = Desk(LabelsSubject(server))
    found = desk.look().get(SETTINGS)
    assert found is not None
    assert found.unreadable is not None
    assert "wants an account" in found.unreadable
    without = PRINTSERVER.open(
        Endpoint(address=server.address, options={"settings": "left out"}), Keeper()
    )
    assert desk.look(without).get(SETTINGS) is None


def test_the_servers_own_driver_is_offered_and_taken_where_chosen(subject: LabelsSubject) -> None:
    desk = Desk(subject)
    place = subject.server.folder / "root/ppd/tank-labels.ppd"
    own = place.read_text()
    subject.server.admin(
        "-p", "tank-labels", "-v", "socket://192.0.2.61:9100",
        "-P", str(_altered(place, own, "*cupsVersion", "*cupsKelpBeds: 7\n*cupsVersion")),
    )  # fmt: skip
    backup = desk.look()
    subject.server.admin("-x", "tank-labels")
    live = desk.look()
    plan = desk.plan(compare(backup, live), [Pick(("tank-labels",))])
    [told] = [f for f in desk.connector.check(plan.steps, backup) if f.code == "driver-there"]
    assert "drv:///sample.drv/dymo.ppd" in told.text
    chosen = PRINTSERVER.open(
        Endpoint(address=subject.server.address, options={"drivers": "the server's own"}), Keeper()
    )
    assert isinstance(chosen, Adjusting)
    steps, said = chosen.adjust(plan.steps)
    assert [f.code for f in said] == ["own-driver"]
    desk.carry_out(steps, chosen)
    now = place.read_text()
    assert "cupsKelpBeds" not in now
    # what was set in the old one is set in this one
    assert re.findall(r"^\*DefaultPageSize.*", now, re.M) == re.findall(
        r"^\*DefaultPageSize.*", own, re.M
    )
    odd = [
        replace(plan.steps[0], after={**(plan.steps[0].after or {}), "driver": '*PPD-Adobe: "4.3"'})
    ]
    kept, said = chosen.adjust(odd)
    assert kept == tuple(odd)
    assert [f.code for f in said] == ["no-own-driver"]


def _altered(place: FilePath, text: str, old: str, new: str) -> FilePath:
    other = place.parent.parent.parent / "altered.ppd"
    assert old in text
    other.write_text(text.replace(old, new, 1))
    return other
