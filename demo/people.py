"""People: the directory of Kelpmoor Aquarium, its last weeks, and what went wrong today."""

import random
from collections.abc import Iterator

from demo.servers.slapd import SUFFIX

_FIRST = [
    "Imke",
    "Tobin",
    "Ansel",
    "Maren",
    "Odo",
    "Sunniva",
    "Bram",
    "Liv",
    "Corin",
    "Petra",
    "Joost",
    "Edda",
    "Halvar",
    "Nessa",
    "Ruben",
    "Tilde",
    "Yorick",
    "Solveig",
    "Arne",
    "Brida",
    "Casper",
    "Dorte",
    "Emeric",
    "Freya",
    "Gunnar",
    "Hedda",
    "Ivo",
    "Jytte",
    "Klaas",
    "Lene",
]
_LAST = [
    "Farrow",
    "Achterberg",
    "Brandvold",
    "Tidewell",
    "Selkirk",
    "Osterhaus",
    "Marrable",
    "Vinter",
    "Halloran",
    "Pellinore",
    "Quillfeather",
    "Rasmund",
    "Stormare",
    "Thistlewood",
    "Undervik",
    "Wexcombe",
    "Yarborough",
    "Zandstra",
    "Kittiwake",
    "Loam",
]
_UNITS = {
    "keepers": ("Keepers", 96, "Keeper"),
    "divers": ("Divers", 38, "Diver"),
    "vets": ("Veterinary", 22, "Veterinary nurse"),
    "volunteers": ("Volunteers", 186, "Volunteer"),
    "visitors": ("Visiting staff", 9, "Visiting keeper"),
}
_GROUPS = [
    "staff-all",
    "night-dive-leads",
    "turtle-rescue",
    "seal-rescue",
    "volunteers-weekend",
    "volunteers-weekday",
    "lagoon-access",
    "quarantine-access",
    "chiller-alarms",
    "feeding-rota",
    "first-aid",
    "boat-crew",
    "radio-users",
    "guides",
    "school-visits",
    "lab-users",
    "pharmacy-keys",
    "control-room",
    "deep-lagoon",
    "penguin-house",
    "jellyfish",
    "kelp-forest",
    "tide-pools",
    "label-editors",
    "ticket-desk",
    "shop",
    "night-watch",
    "divers-nitrox",
    "archive",
    "press-contacts",
]
_SERVICES = [
    "feeder-robot",
    "chiller-watch",
    "tide-clock",
    "label-printer",
    "camera-wall",
    "turnstile",
    "gate-lights",
    "sensor-bridge",
    "web-tickets",
    "voice-announcer",
    "pump-logger",
    "feed-orders",
    "night-alarm",
    "door-badges",
]


def person(name: str, unit: str) -> str:
    """Return the DN of a person."""
    return f"cn={name},ou={unit},{SUFFIX}"


def group(name: str) -> str:
    """Return the DN of a group."""
    return f"cn={name},ou=groups,{SUFFIX}"


ANSEL = "Ansel Brandvold"
IMKE, TOBIN = "Imke Farrow", "Tobin Achterberg"
#: A volunteer who was deleted weeks ago; only older backups have her.
JORUN = "Jorun Tarrow"


def _names(rng: random.Random) -> Iterator[str]:
    fixed = {ANSEL, IMKE, TOBIN, JORUN}
    pool = [f"{a} {b}" for a in _FIRST for b in _LAST if f"{a} {b}" not in fixed]
    rng.shuffle(pool)
    yield from pool


def directory() -> str:
    """Return the whole directory as LDIF, as it was some weeks ago."""
    rng = random.Random(1871)
    names = _names(rng)
    out = [
        f"dn: {SUFFIX}\nobjectClass: dcObject\nobjectClass: organization\n"
        "dc: kelpmoor\no: Kelpmoor Aquarium\ndescription: Public aquarium and rescue centre\n"
    ]
    members: dict[str, list[str]] = {unit: [] for unit in _UNITS}
    people = []
    for unit, (label, count, title) in _UNITS.items():
        out.append(_unit(unit, label))
        chosen = [next(names) for _ in range(count)]
        if unit == "divers":
            chosen[0] = ANSEL
        if unit == "volunteers":
            chosen[:3] = [IMKE, TOBIN, JORUN]
        for name in chosen:
            members[unit].append(name)
            people.append(_person(name, unit, title, rng))
    for unit, label in (("groups", "Groups"), ("service", "Service accounts")):
        out.append(_unit(unit, label))
    out += people
    out += [_service(name, number) for number, name in enumerate(_SERVICES)]
    out += [_group(name, members, rng) for name in _GROUPS]
    return "\n".join(out)


def _unit(unit: str, label: str) -> str:
    return f"dn: ou={unit},{SUFFIX}\nobjectClass: organizationalUnit\nou: {unit}\ndescription: {label}\n"


def _person(name: str, unit: str, title: str, rng: random.Random) -> str:
    first, last = name.split()
    uid = f"{first[0]}{last}".lower()
    lines = [
        f"dn: {person(name, unit)}", "objectClass: inetOrgPerson", f"cn: {name}", f"sn: {last}",
        f"givenName: {first}", f"uid: {uid}", f"mail: {uid}@kelpmoor.example",
        f"telephoneNumber: +1 555 01{rng.randrange(100):02}", f"employeeNumber: {rng.randrange(10**5):05}",
    ]  # fmt: skip
    if name == ANSEL:
        lines += [
            "title: Lead diver", "description: Cleared for the deep lagoon to 30 m, nitrox.",
            "roomNumber: D-2", "userPassword: nitrox-at-dawn",
        ]  # fmt: skip
    elif name in (IMKE, TOBIN):
        lines += [
            "title: Volunteer",
            "description: Weekend feeding, turtle hall.",
            "userPassword: reef",
        ]
    else:
        lines += [f"title: {title}", f"roomNumber: {rng.choice('ABCD')}-{rng.randrange(1, 9)}"]
    return "\n".join(lines) + "\n"


def _service(name: str, number: int) -> str:
    return (
        f"dn: uid={name},ou=service,{SUFFIX}\nobjectClass: account\nobjectClass: posixAccount\n"
        f"uid: {name}\ncn: {name}\nuidNumber: {6000 + number}\ngidNumber: 600\n"
        f"homeDirectory: /srv/{name}\nloginShell: /usr/sbin/nologin\n"
        f"description: Service account of {name.replace('-', ' ')}\n"
    )


def _group(name: str, members: dict[str, list[str]], rng: random.Random) -> str:
    everyone = [(n, u) for u, ns in members.items() for n in ns]
    if name == "staff-all":
        chosen = [(n, u) for n, u in everyone if u in ("keepers", "divers", "vets")]
    elif name.startswith("volunteers"):
        pool = [(n, "volunteers") for n in members["volunteers"][3:]]
        chosen = rng.sample(pool, 12)
    else:
        pool = [(n, u) for n, u in everyone if n not in (ANSEL, IMKE, TOBIN, JORUN)]
        chosen = rng.sample(pool, rng.randrange(4, 14))
    if name in ("night-dive-leads", "turtle-rescue", "divers-nitrox"):
        chosen.append((ANSEL, "divers"))
    if name == "volunteers-weekend":
        chosen.append((IMKE, "volunteers"))
    lines = [f"dn: {group(name)}", "objectClass: groupOfNames", f"cn: {name}"]
    lines += [f"member: {person(n, u)}" for n, u in dict.fromkeys(chosen)]
    return "\n".join(lines) + f"\ndescription: {name.replace('-', ' ').capitalize()}\n"


def _replace(dn: str, attribute: str, value: str) -> str:
    return f"dn: {dn}\nchangetype: modify\nreplace: {attribute}\n{attribute}: {value}\n"


def _service_dn(name: str) -> str:
    return f"uid={name},ou=service,{SUFFIX}"


def history() -> list[tuple[float, str, str, bool]]:
    """Return the backups of the last weeks: days ago, note, changes before it (LDIF), pinned."""
    new_vet = person("Maren Selkirk-Loam", "vets")
    rotas = [
        _replace(group("feeding-rota"), "description", f"Feeding rota, week {week}")
        for week in (43, 44, 45, 46, 47)
    ]
    season = "\n".join(
        _replace(_service_dn(name), "description", f"Service account of {name}, winter season")
        for name in _SERVICES[4:12]
    )
    dangling = (
        f"dn: {group('guides')}\nchangetype: modify\nadd: member\n"
        f"member: {person('Nobody Known', 'visitors')}\n"
    )
    mended = dangling.replace("add: member", "delete: member")
    left = f"dn: {person(JORUN, 'volunteers')}\nchangetype: delete\n"
    hired = (
        f"dn: {new_vet}\nchangetype: add\nobjectClass: inetOrgPerson\ncn: Maren Selkirk-Loam\n"
        "sn: Selkirk-Loam\ntitle: Veterinary surgeon\nmail: mselkirkloam@kelpmoor.example\n"
    )
    return [
        (35, "first backup", "", False),
        (30, "", rotas[0], False),
        (26, "", rotas[1], False),
        (22, "before the new season", "", True),
        (21.6, "after the new season", season, False),
        (18, "", f"{rotas[2]}\n{left}", False),
        (14, "", dangling, False),
        (13, "", mended, False),
        (9, "", f"{rotas[3]}\n{hired}", False),
        (5, "", _replace(_service_dn("tide-clock"), "loginShell", "/bin/sh"), False),
        (3, "", rotas[4], False),
        (0.35, "nightly", "", False),
    ]


def trouble() -> str:
    """Return what went wrong after the last backup, as LDIF change records."""
    was, now = person(ANSEL, "divers"), person(ANSEL, "visitors")
    gone = "\n".join(
        f"dn: {group(name)}\nchangetype: modify\ndelete: member\nmember: {was}\n"
        for name in ("night-dive-leads", "turtle-rescue")
    )
    moved = (
        f"dn: {was}\nchangetype: modrdn\nnewrdn: cn={ANSEL}\ndeleteoldrdn: 1\n"
        f"newsuperior: ou=visitors,{SUFFIX}\n"
    )
    followed = "\n".join(
        f"dn: {group(name)}\nchangetype: modify\ndelete: member\nmember: {was}\n-\n"
        f"add: member\nmember: {now}\n"
        for name in ("staff-all", "divers-nitrox")
    )
    edited = (
        f"dn: {now}\nchangetype: modify\nreplace: title\ntitle: Visiting diver\n-\n"
        "replace: description\ndescription: Cleared for the deep lagoon to 12 m, nitrox.\n-\n"
        "add: telephoneNumber\ntelephoneNumber: +1 555 0199\n"
    )
    deleted = "\n".join(
        f"dn: {person(n, 'volunteers')}\nchangetype: delete\n" for n in (IMKE, TOBIN)
    )
    robot = (
        f"dn: {_service_dn('feeder-robot')}\nchangetype: modify\nreplace: description\n"
        "description: testing, ask Joost\n-\nreplace: loginShell\nloginShell: /bin/bash\n"
    )
    temporary = (
        f"dn: {_service_dn('tmp-contractor-7')}\nchangetype: add\nobjectClass: account\n"
        "objectClass: posixAccount\nuid: tmp-contractor-7\ncn: tmp-contractor-7\nuidNumber: 6999\n"
        "gidNumber: 600\nhomeDirectory: /tmp\nloginShell: /bin/bash\ndescription: temporary\n"
    )
    renamed = (
        f"dn: {_service_dn('sensor-bridge')}\nchangetype: delete\n\n"
        f"dn: {_service_dn('sensor-bridge-2')}\nchangetype: add\nobjectClass: account\n"
        "objectClass: posixAccount\nuid: sensor-bridge-2\ncn: sensor-bridge-2\nuidNumber: 6007\n"
        "gidNumber: 600\nhomeDirectory: /srv/sensor-bridge\nloginShell: /usr/sbin/nologin\n"
        "description: Service account of sensor-bridge, winter season\n"
    )
    return "\n".join([gone, moved, followed, edited, deleted, robot, temporary, renamed])
