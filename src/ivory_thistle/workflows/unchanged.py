"""Deliveries that leave the markup as it is: what pages are given, and what they load."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Tier, and_older
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.reports.predicted import PageLoads, Predictor, families_of, near_by
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.settling import Settled

Given = Mapping[Tier, Mapping[str, NewFile]]
"""By tier and original path, the file that stands at that address."""


def given_by(deliveries: Mapping[str, Delivery]) -> Given:
    """The files that visitors of each tier get at the originals' addresses: the best that their browsers show."""
    given: dict[Tier, dict[str, NewFile]] = {}
    for tier in TIERS:
        given[tier] = {}
        for path, delivery in deliveries.items():
            file = next((f for t in and_older(tier) if (f := _of_tier(delivery, t))), None)
            if file:
                given[tier][path] = file
    return given


def chosen_by_server(form: HandoverForm, deliveries: Mapping[str, Delivery]) -> Mapping[Tier, Mapping[str, str]]:
    """By tier, the file that a server chooses for each address; empty where pages name the files themselves."""
    if form is not HandoverForm.SAME_ADDRESSES:
        return {}
    return {tier: {path: file.path for path, file in files.items()} for tier, files in given_by(deliveries).items()}


def _of_tier(delivery: Delivery, tier: Tier) -> NewFile | None:
    return delivery.own_size if tier == BASELINE else delivery.widest(tier)


def settle_unchanged(
    site: SiteReading,
    deliveries: Mapping[str, Delivery],
    read: Callable[[str], bytes],
    screens: Sequence[Screen],
    slots: Sequence[Slot] = (),
) -> Settled:
    """What pages load whose markup stays: every file has its original's size, so that no box can change."""
    near = near_by(slots, families_of(site, deliveries))
    before = Predictor(site, read, screens, in_time, near).loads(site, read, ())
    return Settled(Limits(Form.LEFT), unchanged(site, deliveries), list(_loads(before, given_by(deliveries))))


def unchanged(site: SiteReading, deliveries: Mapping[str, Delivery]) -> SiteRewrite:
    """No text changes; at every placement each tier gets what stands at its address."""
    given = given_by(deliveries)
    rewrite = SiteRewrite(offered={f.path for files in given.values() for f in files.values()})
    for page in site.pages:
        for p in page.placements:
            tiers = {tier: new.path for tier in TIERS if (new := given[tier].get(p.file or ""))}
            if tiers:
                rewrite.outcomes[p.source, p.start] = tiers
    return rewrite


def _loads(before: Iterable[PageLoads], given: Given) -> Iterator[PageLoads]:
    for one in before:
        files = given[one.tier]
        yield replace(one, after=tuple(_lighter(loaded, files.get(loaded.path)) for loaded in one.before))


def _lighter(loaded: Loaded, new: NewFile | None) -> Loaded:
    return replace(loaded, path=new.path, bytes=new.bytes) if new else loaded
