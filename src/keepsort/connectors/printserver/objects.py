"""Queues and classes as objects, and what is written to make them so."""

from collections.abc import Mapping
from typing import Any

from keepsort.connectors.printserver import ipp, settings_file
from keepsort.connectors.printserver.drivers import divided, in_words, joined
from keepsort.connectors.printserver.ipp import Given
from keepsort.core.model import Attributes, AttributeSpec, ConfigObject, Kind, Schema, Value
from keepsort.core.model.notation import read_slash, write_slash

SERVER, QUEUE, CLASS = "server", "queue", "class"
_CLASS_BIT = 0x0001
_IDLE, _STOPPED = 3, 5
#: Attributes that both have, with how the protocol calls them and of what tag they are.
_TEXTS = {
    "description": ("printer-info", ipp.TEXT),
    "location": ("printer-location", ipp.TEXT),
    "organization": ("printer-organization", ipp.TEXT),
    "error_policy": ("printer-error-policy", ipp.NAME),
    "policy": ("printer-op-policy", ipp.NAME),
}
#: What a job gets that does not say itself; of those that a driver decides, it is only told.
_DEFAULTS = {
    "copies": ipp.INTEGER, "job-hold-until": ipp.KEYWORD, "job-priority": ipp.INTEGER,
    "job-cancel-after": ipp.INTEGER, "number-up": ipp.INTEGER,
    "orientation-requested": ipp.ENUM, "print-quality": ipp.ENUM,
}  # fmt: skip
_OF_DRIVER = {
    "media": ipp.KEYWORD, "sides": ipp.KEYWORD, "output-bin": ipp.KEYWORD,
    "print-color-mode": ipp.KEYWORD,
}  # fmt: skip
_COMMON = {
    "description": AttributeSpec(label="description"),
    "location": AttributeSpec(label="location"),
    "organization": AttributeSpec(label="organization"),
    "shared": AttributeSpec(label="shared in the network"),
    "accepting": AttributeSpec(label="takes new jobs"),
    "enabled": AttributeSpec(label="prints"),
    "error_policy": AttributeSpec(label="after an error"),
    "policy": AttributeSpec(label="operation policy"),
    "banners": AttributeSpec(shape="sequence", label="banners, first and last"),
    "users": AttributeSpec(shape="set", label="who may print"),
    "users_not": AttributeSpec(shape="set", label="who may not print"),
    "defaults": AttributeSpec(shape="map", label="defaults of jobs"),
}
SCHEMA = Schema(
    kinds={
        SERVER: Kind(
            SERVER, "print server", renamable=False,
            attributes={"default": AttributeSpec(reference=True, label="default queue")},
        ),
        QUEUE: Kind(
            QUEUE, "queue", renamable=False, trial="print a test page",
            required=frozenset({"device"}),
            attributes={
                **_COMMON,
                "device": AttributeSpec(label="address of the printer"),
                "driver": AttributeSpec(shape="text", label="driver (PPD)"),
                "options": AttributeSpec(shape="map", label="options of the driver"),
            },
        ),
        settings_file.KIND: Kind(
            settings_file.KIND, "server's settings", icon="file", renamable=False,
            interrupts="The server reads its settings anew: it does not answer for a moment, and "
            "jobs that are being printed begin again.",
            attributes={"text": AttributeSpec(shape="text", required=True, label="settings")},
        ),
        CLASS: Kind(
            CLASS, "class of queues", renamable=False, trial="print a test page",
            required=frozenset({"members"}),
            attributes={
                **_COMMON,
                "members": AttributeSpec(
                    shape="sequence", reference=True, label="queues, in their order"
                ),
            },
        ),
    }
)  # fmt: skip
Told = Mapping[str, list[Value]]


def name_of(told: Told) -> str:
    """Return what a queue or class is called."""
    return str(_one(told, "printer-name") or "")


def is_class(told: Told) -> bool:
    """Tell a class from a queue."""
    return bool((_one(told, "printer-type") or 0) & _CLASS_BIT)


def printer_object(told: Told, driver: str | None) -> ConfigObject:
    """Return a queue or a class as an object. driver: the text of its PPD, where it has one."""
    attributes: Attributes = {}
    for name, (called, _) in _TEXTS.items():
        if value := _one(told, called):
            attributes[name] = value
    attributes["shared"] = bool(_one(told, "printer-is-shared"))
    attributes["accepting"] = bool(_one(told, "printer-is-accepting-jobs"))
    attributes["enabled"] = _one(told, "printer-state") != _STOPPED
    banners = [str(one) for one in told.get("job-sheets-default", [])]
    if banners:
        attributes["banners"] = [*banners, "none"][:2]
    for name, called in (("users", "allowed"), ("users_not", "denied")):
        users = [str(one) for one in told.get(f"requesting-user-name-{called}", [])]
        if users:
            attributes[name] = users
    decided = dict(_OF_DRIVER) if driver is not None or is_class(told) else {}
    defaults = {
        name: value
        for name in sorted({**_DEFAULTS, **_OF_DRIVER}.keys() - decided.keys())
        if (value := _one(told, f"{name}-default")) is not None
    }
    if defaults:
        attributes["defaults"] = defaults
    if is_class(told):
        attributes["members"] = [write_slash((str(one),)) for one in told.get("member-names", [])]
    else:
        attributes["device"] = str(_one(told, "device-uri") or "")
        if driver is not None:
            attributes["driver"], options = divided(driver)
            if options:
                attributes["options"] = options
    found_facts = _facts(told, decided)
    if driver is not None:
        found_facts |= {"set": in_words(driver, attributes.get("options", {}))}
    return ConfigObject(
        name=name_of(told), kind=CLASS if is_class(told) else QUEUE, attributes=attributes,
        facts=found_facts,
    )  # fmt: skip


def _facts(told: Told, decided: Mapping[str, int]) -> Attributes:
    found: Attributes = {
        "model": _one(told, "printer-make-and-model"),
        "state": [str(one) for one in told.get("printer-state-reasons", [])],
        "message": _one(told, "printer-state-message"),
        "jobs": _one(told, "queued-job-count"),
    }
    found |= {name: _one(told, f"{name}-default") for name in decided}
    return {name: value for name, value in found.items() if value not in (None, "", [])}


def driver_to_send(before: Attributes, after: Attributes) -> str:
    """Return the driver with its options set, where either changes; empty where neither does."""
    parts = ("driver", "options")
    if "driver" not in after or all(before.get(name) == after.get(name) for name in parts):
        return ""
    return joined(after["driver"], after.get("options") or {})


def written(before: Attributes, after: Attributes, uri: Any) -> list[Given]:
    """Return the attributes that are sent to make a queue or class what it is to be.

    uri: gives how a queue is named to the server. What stays is not sent. What has no value any
    more gets what stands for none.
    """
    found: list[Given] = []

    def changed(name: str) -> bool:
        return before.get(name) != after.get(name)

    if changed("device") and "device" in after:
        found.append(Given("device-uri", ipp.URI, (after["device"],)))
    if changed("members"):
        names = [read_slash(one)[-1] for one in after.get("members", [])]
        found.append(Given("member-uris", ipp.URI, tuple(map(uri, names))))
    for name, (called, tag) in _TEXTS.items():
        if changed(name):
            found.append(Given(called, tag, (after.get(name, ""),)))
    if changed("accepting"):
        takes = bool(after.get("accepting"))
        found.append(Given("printer-is-accepting-jobs", ipp.BOOLEAN, (takes,)))
    if changed("enabled"):
        state = _IDLE if after.get("enabled") else _STOPPED
        found.append(Given("printer-state", ipp.ENUM, (state,)))
    if (changed("accepting") and after.get("accepting")) or (
        changed("enabled") and after.get("enabled")
    ):
        found.append(
            Given("printer-state-message", ipp.TEXT, ("",))
        )  # why it did not holds no more
    if changed("shared"):
        found.append(Given("printer-is-shared", ipp.BOOLEAN, (bool(after.get("shared")),)))
    if changed("banners"):
        banners = tuple(after.get("banners") or ("none", "none"))
        found.append(Given("job-sheets-default", ipp.NAME, banners))
    if changed("users") or changed("users_not"):
        # the one takes the other's place on the server
        if after.get("users"):
            found.append(Given("requesting-user-name-allowed", ipp.NAME, tuple(after["users"])))
        elif after.get("users_not"):
            found.append(Given("requesting-user-name-denied", ipp.NAME, tuple(after["users_not"])))
        else:
            found.append(Given("requesting-user-name-allowed", ipp.NAME, ("all",)))
    if changed("defaults"):
        found += _defaults(before.get("defaults") or {}, after.get("defaults") or {})
    return found


def _defaults(before: Mapping[str, Value], after: Mapping[str, Value]) -> list[Given]:
    tags = {**_DEFAULTS, **_OF_DRIVER}
    found = []
    for name in sorted({*before, *after}):
        if before.get(name) == after.get(name):
            continue
        if name in after:
            found.append(Given(f"{name}-default", tags.get(name, ipp.KEYWORD), (after[name],)))
        else:
            found.append(Given(f"{name}-default", ipp.DELETE, ()))
    return found


def _one(told: Told, name: str) -> Value:
    values = told.get(name)
    return values[0] if values else None
