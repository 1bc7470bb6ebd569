"""Secrets that a plan needs and nobody has kept: told alike for all systems."""

from collections.abc import Iterable

from keepsort.connectors.base import SecretKeeper
from keepsort.core.plan import Finding, Step


def never_kept(
    keeper: SecretKeeper, step: Step, attribute: str, digests: Iterable[object]
) -> list[Finding]:
    """Return what stops a step, if one of the secrets that it writes into an attribute is lost."""
    if all(keeper.reveal(str(digest)) is not None for digest in digests):
        return []
    text = f"A secret in {attribute} was never kept here, so it cannot be put back."
    return [Finding("stop", "secret-unknown", text, step.final_path, attribute)]
