"""How the tests are shared out among processes; loaded with ``-p tests.sharing``."""

from typing import Any

from xdist.scheduler import LoadScopeScheduling

#: What shares one demo, or needs most of the machine, runs in one process, one after the other.
_TOGETHER = ("tests/browser/", "tests/server/test_moments.py")


class _Shares(LoadScopeScheduling):
    def _split_scope(self, nodeid: str) -> str:
        return next((place for place in _TOGETHER if nodeid.startswith(place)), nodeid)


def pytest_xdist_make_scheduler(config: Any, log: Any) -> _Shares:
    return _Shares(config, log)
