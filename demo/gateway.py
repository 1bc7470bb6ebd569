"""Gateway: the config files of the lagoon gateway host, its last weeks, and what went wrong today."""

import json

CHRONY = """\
# Time of the lagoon gateway. Sensor readings are stamped with it.
server ntp1.kelpmoor.example iburst
server ntp2.kelpmoor.example iburst
server ntp3.kelpmoor.example iburst
driftfile /var/lib/chrony/drift
makestep 1.0 3
rtcsync
allow 192.0.2.0/24
"""
ROUTES = """\
# Reverse proxy of the lagoon gateway
listen: 443          # tls only
timeout: 30s
tls:
  minimum: "1.2"
  certificate: /etc/ssl/gateway.pem
routes:
  - path: /tides
    to: http://192.0.2.20:8080
  - path: /sensors
    to: http://192.0.2.21:9000
  - path: /cameras
    to: http://192.0.2.22:8554
limits:
  requests_per_minute: 600
  body: 2MB
health:
  path: /alive
  every: 10s
"""
SENSORS = """\
# Sensor gateway: polls the probes of the lagoon and passes readings on

name = "lagoon-gateway"   # shown in the alarm mails

[poll]
every_seconds = 5
retries = 3
timeout_seconds = 2.5
points = [
    "lagoon/temperature",
    "lagoon/ph",
    "lagoon/salinity",
    "lagoon/oxygen",
]

[send]
to = "http://192.0.2.30:2379"
prefix = "/plant/lagoon/sensors/"
batch = 20

[send.retry]
first_seconds = 1
most_seconds = 60
"""
BRIDGE = """\
; bridge to the old serial probes
[serial]
port = /dev/ttyS0
baud = 19200
parity = none

[probes]
1 = ph, quarantine
2 = oxygen, quarantine
3 = orp, seal rescue
"""
RULES = {
    "ph": {"above": 8.4, "below": 7.8, "mail": "plant@kelpmoor.example"},
    "oxygen": {"below": 6, "mail": "plant@kelpmoor.example", "sms": True},
    "temperature": {"above": 24, "below": 6, "mail": "plant@kelpmoor.example"},
    "quiet_hours": {"from": "22:00", "to": "06:00"},
}
LOGGING = """\
<?xml version="1.0"?>
<logging level="info">
  <target name="file">
    <path>/var/log/gateway.log</path>
    <keep days="30"/>
  </target>
  <target name="mail">
    <level>error</level>
    <to>plant@kelpmoor.example</to>
  </target>
</logging>
"""
BANNER = "Lagoon gateway of Kelpmoor Aquarium\nChanges: tell the plant duty first.\n"
HOSTS = "".join(f"192.0.2.{20 + n}\t{name}.kelpmoor.example {name}\n" for n, name in enumerate(
    ("tide-clock", "sensors", "cameras", "doors", "feeder", "tickets", "signs", "plant")
))  # fmt: skip

#: Names of files beneath the host's folder, with their texts; None for one that goes away.
Files = dict[str, str | None]


def gateway() -> Files:
    """Return all files as they were five weeks ago."""
    return {
        "etc/chrony/chrony.conf": CHRONY,
        "etc/proxy/routes.yaml": ROUTES,
        "etc/sensors/gateway.toml": SENSORS,
        "etc/sensors/bridge.ini": BRIDGE,
        "etc/alerts/rules.json": json.dumps(RULES, indent=2) + "\n",
        "etc/alerts/logging.xml": LOGGING,
        "etc/motd": BANNER,
        "etc/hosts": HOSTS,
    }


def history() -> list[tuple[float, str, Files, bool]]:
    """Return the backups of the last weeks: days ago, note, changes before it, pinned."""
    eager = SENSORS.replace("retries = 3", "retries = 5")
    return [
        (33, "first backup", {}, False),
        (24, "", {"etc/motd": BANNER + "Next service: December.\n"}, False),
        (16, "before the proxy's update", {}, True),
        (15.8, "", {"etc/proxy/routes.yaml": ROUTES.replace("600", "900")}, False),
        (7, "", {"etc/sensors/gateway.toml": eager}, False),
        (0.34, "nightly", {}, False),
    ]


def trouble() -> Files:
    """Return what went wrong after the last backup."""
    chrony = CHRONY.replace("server ntp1.kelpmoor.example iburst\n", "").replace(
        "server ntp3.kelpmoor.example iburst", "server 203.0.113.99"
    )
    route = "  - path: /sensors\n    to: http://192.0.2.21:9000\n"
    poll = """\
[poll]
every_seconds = 60      # quick test, Joost
retries = 0
points = ["lagoon/temperature"]
"""
    start, stop = SENSORS.index("[poll]"), SENSORS.index("\n[send]")
    return {
        "etc/chrony/chrony.conf": chrony,
        "etc/proxy/routes.yaml": ROUTES.replace("600", "900").replace(route, ""),
        "etc/sensors/gateway.toml": SENSORS[:start] + poll + SENSORS[stop:],
        "etc/sensors/bridge.ini": BRIDGE.replace(
            "old serial probes", "serial probes (being replaced)"
        ),
        "etc/alerts/rules.json.orig": "{}\n",
        # somebody put the banner aside under another name
        "etc/motd": None,
        "etc/motd-old": BANNER + "Next service: December.\n",
    }


#: What the demo's gateway checks and reloads; the commands are small and harmless.
COMMANDS = """\
*/chrony.conf | grep -c ^server {} | echo chronyd reloaded
*/routes.yaml | grep -q ^routes: {} | echo proxy reloaded"""
