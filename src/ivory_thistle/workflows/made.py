"""What a run has made so far, and what leaves of it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from hashlib import sha256

from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.references.site import Page, SiteReading
from ivory_thistle.core.rewriting.delivery import Delivery
from ivory_thistle.core.rewriting.site import Limits, SiteRewrite, SiteRewriter
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.rendition import RenditionFacts, facts_of
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.at_hand import AtHand, stored_at_hand
from ivory_thistle.workflows.delivering import Handover, TreatedImage, as_it_leaves, deliveries_of, prepare_handover
from ivory_thistle.workflows.manifest import MANIFEST_NAMES, Verdict, with_verdicts
from ivory_thistle.workflows.proofs import held
from ivory_thistle.workflows.unchanged import chosen_by_server, unchanged
from ivory_thistle.workflows.worded import stored_wording


@dataclass(frozen=True, slots=True)
class Made:
    """A run's capture with what the run has made of it so far."""

    at_hand: AtHand
    treated: list[TreatedImage]
    deliveries: Mapping[str, Delivery]


def made_by(session: Session, run: t.Run, blobs: Blobs) -> Made:
    """What a run has made; only its finished images are in it, and none whose original a person lets stay."""
    at_hand = stored_at_hand(session, run.capture_id, blobs)
    staying = held(session, run)
    renditions: dict[str, list[RenditionFacts]] = defaultdict(list)
    tasks: dict[str, tuple[tuple[str, ...], int]] = {}
    rows = session.execute(
        select(t.Image.sha256, t.Task.words, t.Task.widths, t.Rendition)
        .join(t.Task, t.Task.image_id == t.Image.id)
        .join(t.Rendition, t.Rendition.task_id == t.Task.id)
        .where(t.Task.run_id == run.id, t.Task.state == "done")
        .order_by(t.Rendition.id)
    )
    for digest, words, widths, r in rows:
        if digest in staying:
            continue
        tasks[digest] = tuple(words), max(widths, default=0)
        # The module that brought a tier may be gone.
        if r.tier in TIERS:
            renditions[digest].append(facts_of(r))
    treated = [
        TreatedImage(i, tuple(renditions[i.facts.sha256]), *tasks[i.facts.sha256])
        for i in at_hand.site.images
        if i.facts.sha256 in tasks
    ]
    return Made(at_hand, treated, deliveries_of(at_hand.site, treated, Rules.from_dict(run.rules)))


@dataclass(frozen=True, slots=True)
class HandedOver:
    """A run's handover with the site it is of."""

    at_hand: AtHand
    deliveries: Mapping[str, Delivery]
    rewrite: SiteRewrite
    handover: Handover
    blobs: Blobs
    form: HandoverForm = HandoverForm.MARKUP

    @property
    def site(self) -> SiteReading:
        """The site as it was."""
        return self.at_hand.site

    @property
    def read(self) -> Callable[[str], bytes]:
        """Gives the original's files by path."""
        return self.at_hand.read

    def after(self) -> tuple[SiteReading, Callable[[str], bytes]]:
        """The site as it leaves, and a reader of its files."""
        return as_it_leaves(self.site, self.handover, self.read, lambda new: self.blobs.get(new.sha256))

    def given(self) -> Mapping[Tier, Mapping[str, str]]:
        """By tier, the file that a server chooses for each address; empty where pages name the files themselves."""
        return chosen_by_server(self.form, self.deliveries)

    def content_of(self, page: Page) -> str:
        """The SHA-256 of what the page is made of; where it is the same, a check says the same."""
        digest = sha256(self._files().encode())
        for path in (page.path, *page.stylesheets):
            text = self.handover.texts.get(path)
            digest.update(sha256(text).digest() if text is not None else b"-")
        return digest.hexdigest()

    @property
    def content(self) -> str:
        """The SHA-256 of the whole handover."""
        digest = sha256(self._files().encode())
        for path in self.handover.rewritten:
            digest.update(sha256(self.handover.texts[path]).digest())
        digest.update(repr(sorted(self.handover.moved.items())).encode())
        return digest.hexdigest()

    def noting(self, verdict: Verdict | None, judged: Mapping[str, Mapping[str, str]]) -> HandedOver:
        """The same, its manifest telling what a check said, and what people said of images, by path."""
        texts = dict(self.handover.texts)
        name = next((name for name in MANIFEST_NAMES if name in texts), None)
        if name is None or (verdict is None and not judged):
            return self
        texts[name] = with_verdicts(texts[name], verdict, judged)
        return replace(self, handover=replace(self.handover, texts=texts))

    def _files(self) -> str:
        made = sorted({(f.path, f.sha256) for d in self.deliveries.values() for f in d.files})
        return "\n".join(f"{digest} {path}" for path, digest in made)


def handover_of(session: Session, run: t.Run, blobs: Blobs) -> HandedOver:
    """The handover of a run, within the limits that were found when it ended."""
    made = made_by(session, run, blobs)
    limits = Limits.from_dict(run.limits) if run.limits else Limits()
    site, read, rules = made.at_hand.site, made.at_hand.read, Rules.from_dict(run.rules)
    if rules.form.rewrites:
        rewrite = SiteRewriter(site, made.deliveries, read).rewrite(limits)
    else:
        rewrite = unchanged(site, made.deliveries)
    site_id = session.get_one(t.Capture, run.capture_id).site_id
    wording = stored_wording(session, site_id)
    handover = prepare_handover(made.at_hand, made.treated, rules, made.deliveries, rewrite, wording)
    return HandedOver(made.at_hand, made.deliveries, rewrite, handover, blobs, rules.form)
