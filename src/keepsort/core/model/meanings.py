"""Texts that stand for a number or for a moment, in the one form that all of the same share."""

import re
from datetime import UTC, datetime, timedelta, timezone

#: Longer ones are no numbers that somebody compares.
_LONGEST = 1000
_DECIMAL = re.compile(r"([+-]?)(\d*)(?:\.(\d*))?(?:[eE]([+-]?\d{1,9}))?", re.ASCII)
_ZONE = r"(?P<zone>Z|[+-]\d{2}(?::?\d{2})?(?::\d{2})?)?"
#: RFC 3339, section 5.6, with a space for the T and a shorter offset as databases write them.
_WITH_DASHES = re.compile(
    r"(?P<day>\d{4}-\d\d-\d\d)[Tt ](?P<hour>\d\d):(?P<minute>\d\d)(?::(?P<second>\d\d))?"
    rf"(?:[.,](?P<part>\d+))? ?{_ZONE}",
    re.ASCII,
)
#: RFC 4517, section 3.3.13.
_GENERALIZED = re.compile(
    r"(?P<day>\d{8})(?P<hour>\d\d)(?:(?P<minute>\d\d)(?P<second>\d\d)?)?"
    r"(?:[.,](?P<part>\d+))?(?P<zone>Z|[+-]\d{2}(?:\d{2})?)",
    re.ASCII,
)


def decimal(text: str) -> str:
    """Return a decimal number without what does not count of it; any other text as it is.

    1.50, 01.5 and 15e-1 are the same. No digit is lost, however many there are.
    """
    found = _DECIMAL.fullmatch(text) if len(text) <= _LONGEST else None
    if found is None or not (found[2] or found[3]):
        return text
    part = found[3] or ""
    digits = (found[2] + part).lstrip("0")
    plain = digits.rstrip("0")
    if not plain:
        return "0"
    power = int(found[4] or 0) - len(part) + len(digits) - len(plain)
    return f"{'-' if found[1] == '-' else ''}{plain}e{power}"


def moment(text: str) -> str:
    """Return a time stamp in UTC, without what does not count of it; any other text as it is.

    One without an offset stays without: nobody knows which moment it is.
    """
    found = _WITH_DASHES.fullmatch(text) or _GENERALIZED.fullmatch(text)
    if found is None:
        return text
    part = found["part"] or ""
    try:
        day = datetime.strptime(found["day"].replace("-", ""), "%Y%m%d")
        at = day.replace(
            hour=int(found["hour"]), minute=int(found["minute"] or 0),
            second=int(found["second"] or 0), tzinfo=_zone(found["zone"]),
        )  # fmt: skip
        # a part of the last that is told: of an hour, a minute or a second
        unit = 1 if found["second"] else 60 if found["minute"] else 3600
        whole, rest = divmod(int(part or 0) * unit, 10 ** len(part))
        at += timedelta(seconds=whole)
        zone = "Z" if at.tzinfo is not None else ""
        at = at.astimezone(UTC) if at.tzinfo is not None else at
    except (ValueError, OverflowError):
        return text
    fraction = f"{rest:0{len(part)}}".rstrip("0") if rest else ""
    return f"{at.year:04}{at:%m%d%H%M%S}{'.' if fraction else ''}{fraction}{zone}"


def _zone(text: str | None) -> timezone | None:
    if not text or text == "Z":
        return UTC if text else None
    digits = text[1:].replace(":", "")
    hours, minutes, seconds = (int(digits[n : n + 2] or 0) for n in (0, 2, 4))
    off = timedelta(hours=hours, minutes=minutes, seconds=seconds)
    return timezone(-off if text[0] == "-" else off)
