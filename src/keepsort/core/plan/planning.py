"""Makes a plan: picks become targets, targets bring what they need, steps fall into order."""

from collections.abc import Sequence

from keepsort.core.compare import Comparison
from keepsort.core.plan.composing import PLAIN, Composer
from keepsort.core.plan.findings import Findings
from keepsort.core.plan.needs import close_needs
from keepsort.core.plan.picks import Pick, Policy
from keepsort.core.plan.reused_ids import tell_reused
from keepsort.core.plan.step_order import Emitter
from keepsort.core.plan.steps import Plan
from keepsort.core.plan.taking import Taker


def plan_restore(
    comparison: Comparison,
    picks: Sequence[Pick],
    *,
    policy: Policy = "overwrite",
    composer: Composer = PLAIN,
) -> Plan:
    """Plan what the picks ask for. The same input gives the same plan.

    comparison: the backup against a look at live; its live side is what every step expects.
    composer: knows how objects of this system hold parts.
    """
    findings = Findings()
    taker = Taker(comparison, policy, findings)
    taker.take(picks)
    close_needs(taker)
    tell_reused(taker)
    emitter = Emitter(comparison, taker.targets, composer, findings, taker.behind)
    emitter.emit()
    return Plan(tuple(emitter.writer.steps), findings.all())
