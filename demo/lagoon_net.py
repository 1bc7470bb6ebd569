"""Lagoon net: the virtual switch of the lagoon, its last weeks, and what went wrong today."""

Commands = list[str]

_PORTS = {
    "br-lagoon": {
        "cam-reef-1": 30, "cam-reef-2": 30, "cam-kelp": 30, "cam-seals": 30,
        "sensors-1": 40, "sensors-2": 40, "chillers": 40, "dosers": 40,
        "tickets-1": 20, "tickets-2": 20, "tickets-3": 20, "kiosk": 20,
        "office-1": 10, "office-2": 10, "office-3": 10, "vets": 10,
        "guest-wifi": 90, "screens-hall": 50, "screens-entrance": 50, "recorder": 30,
    },
    "br-quarantine": {"q-cam": 30, "q-sensors": 40, "q-chiller": 40, "q-vets": 10},
}  # fmt: skip


def switch() -> Commands:
    """Return what builds the switch as it was five weeks ago, as words of its own tool."""
    words: Commands = ["set", "Open_vSwitch", ".", "external_ids:site=lagoon"]
    words += ["--", "set-manager", "ptcp:6640:127.0.0.1"]
    for bridge, ports in _PORTS.items():
        words += ["--", "add-br", bridge]
        words += ["--", "set", "Bridge", bridge, "fail_mode=secure", "rstp_enable=true"]
        for port, tag in ports.items():
            words += ["--", "add-port", bridge, port, f"tag={tag}", "vlan_mode=access"]
            words += ["--", "set", "Interface", port, "type=internal"]
    words += [
        "--", "add-bond", "br-lagoon", "uplink", "core-1", "core-2", "trunks=10,20,30,40,50,90",
        "vlan_mode=trunk", "lacp=active", "bond_mode=balance-tcp",
        "--", "add-port", "br-lagoon", "to-quarantine", "trunks=10,30,40", "vlan_mode=trunk",
        "--", "set", "Interface", "to-quarantine", "type=patch", "options:peer=to-lagoon",
        "--", "add-port", "br-quarantine", "to-lagoon", "trunks=10,30,40", "vlan_mode=trunk",
        "--", "set", "Interface", "to-lagoon", "type=patch", "options:peer=to-quarantine",
        "--", "set-controller", "br-lagoon", "tcp:192.0.2.10:6653",
        "--", "set", "Interface", "guest-wifi", "ingress_policing_rate=20000",
        "ingress_policing_burst=2000",
    ]  # fmt: skip
    words += ["--", "--id=@q0", "create", "Queue", "other_config:min-rate=2000000"]
    words += ["--", "--id=@q1", "create", "Queue", "other_config:max-rate=20000000", "dscp=46"]
    words += [
        "--", "--id=@qos", "create", "QoS", "type=linux-htb", "other_config:max-rate=1000000000",
        "queues:0=@q0", "queues:1=@q1", "--", "set", "Port", "uplink", "qos=@qos",
        "--", "--id=@reef", "get", "Port", "cam-reef-1", "--", "--id=@seals", "get", "Port",
        "cam-seals", "--", "--id=@out", "get", "Port", "recorder", "--", "--id=@mirror", "create",
        "Mirror", "name=cameras", "select_src_port=@reef,@seals", "output_port=@out",
        "--", "set", "Bridge", "br-lagoon", "mirrors=@mirror",
    ]  # fmt: skip
    return words


def history() -> list[tuple[float, str, Commands, bool]]:
    """Return the backups of the last weeks: days ago, note, commands before it, pinned."""
    kiosk = ["add-port", "br-lagoon", "kiosk-2", "tag=20", "vlan_mode=access"]
    kiosk += ["--", "set", "Interface", "kiosk-2", "type=internal"]
    return [
        (33, "first backup", [], False),
        (21, "second kiosk", kiosk, False),
        (12, "", ["set", "Port", "screens-hall", "tag=51"], False),
        (5, "before the new core switch", ["set", "Port", "uplink", "lacp=passive"], True),
        (0.4, "nightly", ["set", "Port", "uplink", "lacp=active"], False),
    ]


def trouble() -> Commands:
    """Return what went wrong after the last backup."""
    return [
        "set", "Port", "cam-reef-1", "tag=20", "--", "set", "Port", "cam-reef-2", "tag=20",
        "--", "set", "Port", "cam-kelp", "tag=20", "--", "clear", "Bridge", "br-lagoon", "mirrors",
        "--", "add-port", "br-lagoon", "test-laptop", "tag=10",
        "--", "remove", "Port", "uplink", "trunks", "90",
    ]  # fmt: skip
