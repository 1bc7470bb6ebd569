"""Labels: the print server for tank labels, tickets and signs, and what went wrong today."""

#: Calls of the server's own tools, each as its words.
Calls = list[list[str]]

_LABELS = "drv:///sample.drv/dymo.ppd"
_PDF = "lsb/usr/cupsfilters/Generic-PDF_Printer-PDF.ppd"
_PLAIN = "drv:///sample.drv/generic.ppd"


def _queue(name: str, address: str, model: str, told: str, place: str, *words: str) -> list[str]:
    return [
        "lpadmin",
        "-p",
        name,
        "-E",
        "-v",
        address,
        "-m",
        model,
        "-D",
        told,
        "-L",
        place,
        *words,
    ]


def printers() -> Calls:
    """Return the calls that make the queues as they were five weeks ago."""
    return [
        _queue("tank-labels", "socket://192.0.2.61:9100", _LABELS, "Tank labels", "Back office",
               "-o", "printer-is-shared=true", "-o", "PageSize=w101h252"),
        _queue("animal-cards", "ipp://cards.kelpmoor.example/ipp/print", _PDF, "Animal cards",
               "Back office", "-o", "job-sheets-default=none,none"),
        _queue("tickets-1", "socket://192.0.2.71:9100", _LABELS, "Tickets, north gate",
               "North gate", "-u", "allow:gull,odell,desk"),
        _queue("tickets-2", "socket://192.0.2.72:9100", _LABELS, "Tickets, harbour gate",
               "Harbour gate", "-u", "allow:gull,odell,desk"),
        _queue("signs-hall", "ipp://signs.kelpmoor.example/ipp/print", _PDF, "Signs of the hall",
               "Hall", "-o", "printer-error-policy=abort-job", "-o", "copies-default=2"),
        _queue("office", "ipps://office.kelpmoor.example/ipp/print", _PLAIN, "Office", "Office",
               "-o", "PageSize=A4", "-o", "job-sheets-default=standard,none"),
        _queue("vets", "socket://192.0.2.90:9100", _PLAIN, "Vets", "Quarantine",
               "-u", "deny:visitor", "-o", "PageSize=A4"),
        ["lpadmin", "-p", "tickets-1", "-c", "ticket-desks"],
        ["lpadmin", "-p", "tickets-2", "-c", "ticket-desks"],
        ["lpadmin", "-p", "ticket-desks", "-E", "-D", "All ticket desks"],
        ["lpadmin", "-d", "tank-labels"],
    ]  # fmt: skip


def history() -> list[tuple[float, str, Calls, bool]]:
    """Return the backups of the last weeks: days ago, note, calls before it, pinned."""
    return [
        (34, "first backup", [], False),
        (20, "", [["lpadmin", "-p", "office", "-L", "Office, first floor"]], False),
        (
            9,
            "before the new ticket printers",
            [["lpadmin", "-p", "vets", "-o", "PageSize=A5"]],
            True,
        ),
        (0.4, "nightly", [["lpadmin", "-p", "vets", "-o", "PageSize=A4"]], False),
    ]


def trouble() -> Calls:
    """Return what went wrong after the last backup."""
    return [
        ["lpadmin", "-x", "signs-hall"],
        ["lpadmin", "-p", "tickets-2", "-v", "socket://192.0.2.27:9100"],
        ["cupsreject", "office"],
        ["lpadmin", "-p", "tank-labels", "-o", "PageSize=w81h252"],
    ]
