"""What is special to the database of a virtual switch: its words, and what carries traffic."""

#: The database that this is about.
DATABASE = "Open_vSwitch"
#: So long the name of a network device can be.
LONGEST_NAME = 15
#: Columns that the switch itself writes, though the schema does not say so.
SET_BY_SYSTEM = {
    "Open_vSwitch": {
        "cur_cfg", "next_cfg", "db_version", "dpdk_initialized", "dpdk_version", "iface_types",
        "datapath_types", "ovs_version", "system_type", "system_version",
    },
    "Bridge": {"datapath_version"},
    "Port": {"bond_active_slave"},
    "Interface": {"ofport", "error"},
}  # fmt: skip
LABELS = {
    "Open_vSwitch": "switch", "Bridge": "bridge", "Port": "port", "Interface": "interface",
    "Mirror": "mirror", "Controller": "controller", "Manager": "manager", "QoS": "QoS",
    "Queue": "queue", "SSL": "TLS settings", "Flow_Table": "flow table",
    "AutoAttach": "auto attach", "Datapath": "datapath", "CT_Zone": "connection zone",
}  # fmt: skip
UNITS = {
    "Interface": {
        "ingress_policing_rate": "kbit/s", "ingress_policing_burst": "kbit",
        "ingress_policing_kpkts_rate": "1,000 packets/s", "mtu_request": "bytes",
    },
    "Port": {"bond_updelay": "ms", "bond_downdelay": "ms"},
    "Controller": {"max_backoff": "ms", "inactivity_probe": "ms"},
    "Manager": {"max_backoff": "ms", "inactivity_probe": "ms"},
}  # fmt: skip
#: Columns that say which frames go where: a change of one is felt at once.
_CARRIES = {
    "Port": {
        "tag": "VLAN", "trunks": "trunks", "vlan_mode": "VLAN mode", "cvlans": "customer VLANs",
        "bond_mode": "bond mode", "lacp": "LACP", "mac": "MAC address",
    },
    "Interface": {"type": "type", "options": "options", "mtu_request": "MTU"},
    "Bridge": {
        "fail_mode": "fail mode", "protocols": "protocols", "datapath_type": "datapath",
        "stp_enable": "STP", "rstp_enable": "RSTP", "flood_vlans": "flood VLANs",
    },
}  # fmt: skip


def carrying(table: str) -> dict[str, str]:
    """Return the columns of a table that say which frames go where, and what people call them."""
    return _CARRIES.get(table, {})


#: What stands still when such a row goes away.
GOES = {
    "Bridge": "all that goes through the bridge stops",
    "Port": "what is connected to the port is cut off",
    "Interface": "what is connected to the interface is cut off",
    "Controller": "the bridge is on its own, and goes by its fail mode",
}
