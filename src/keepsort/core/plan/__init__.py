"""From what a person picked to the ordered steps that carry it out."""

from keepsort.core.plan.composing import ABSENT, PLAIN, Absent, Composer, Edit, Plain, Unfit
from keepsort.core.plan.effects import Budget, Effect, Right
from keepsort.core.plan.elsewhere import Clash, Naming, counted, transplant
from keepsort.core.plan.findings import Finding, Level
from keepsort.core.plan.merged_backup import Sourced, gather
from keepsort.core.plan.offers import Offer, offers
from keepsort.core.plan.picks import AttributePick, LeftOut, Pick, Policy, Scope
from keepsort.core.plan.planning import plan_restore
from keepsort.core.plan.rehearsal import Mismatch, rehearse
from keepsort.core.plan.steps import Action, Plan, Step, changed_names, is_implied, numbers
from keepsort.core.plan.threads import threaded
from keepsort.core.plan.undo import in_sequence, plan_undo, taken_place

__all__ = [
    "ABSENT",
    "PLAIN",
    "Absent",
    "Action",
    "AttributePick",
    "Budget",
    "Clash",
    "Composer",
    "Edit",
    "Effect",
    "Finding",
    "LeftOut",
    "Level",
    "Mismatch",
    "Naming",
    "Offer",
    "Pick",
    "Plain",
    "Plan",
    "Policy",
    "Right",
    "Scope",
    "Sourced",
    "Step",
    "Unfit",
    "changed_names",
    "counted",
    "gather",
    "in_sequence",
    "is_implied",
    "numbers",
    "offers",
    "plan_restore",
    "plan_undo",
    "rehearse",
    "taken_place",
    "threaded",
    "transplant",
]
