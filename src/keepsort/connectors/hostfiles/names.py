"""Names of files as text, whatever bytes they are made of.

Bytes that are not UTF-8, control characters, and a ``%`` that could be taken for one of these are
written as ``%`` and two hex digits. Nothing else is: no name stands for a slash or for ``..``.
"""

from keepsort.connectors.percent import PercentNames

_MEANT = "25|7F|0[1-9A-F]|1[0-9A-F]|[89A-F][0-9A-F]"
_names = PercentNames(f"[\\x01-\\x1f\\x7f\\udc80-\\udcff]|%(?=(?:{_MEANT}))", _MEANT)
written = _names.written
meant = _names.meant
