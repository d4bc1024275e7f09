"""Plans: what the rules make of every image of a site."""

from __future__ import annotations

from dataclasses import replace

from ivory_thistle.core.treatment.ladder import Plan, plan_treatment
from ivory_thistle.core.treatment.own_size import plan_own_size
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.manifest import made_before


def plan(at_hand: AtHand, rules: Rules) -> tuple[Plan, ...]:
    """A plan for every image that is in use; what an earlier handover made is left alone."""
    made = made_before(at_hand.site, at_hand.read)
    if rules.form.rewrites:
        plans = plan_treatment(at_hand.site, rules, at_hand.slots, at_hand.roles, at_hand.measured_pages)
    else:
        plans = plan_own_size(at_hand.site, rules, at_hand.roles)
    return tuple(
        replace(p, steps=(), apart=(), reason="Made or treated by an earlier treatment.")
        if p.image.facts.sha256 in made
        else p
        for p in plans
    )
