"""A stored capture audited: roles and findings, from what was read and the newest measurement."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from hashlib import sha256
from typing import Any, TypeVar

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.findings.audit import Audit, audit_site
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.guessing import guessed_slots
from ivory_thistle.core.treatment.roles import ROLES, RoleChoice
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.measured import newest_measured
from ivory_thistle.workflows.reading import page_failed
from ivory_thistle.workflows.settings import site_policy
from ivory_thistle.workflows.storing import insert_rows, stored_site

_BATCH = 2000
T = TypeVar("T")


def role_choices(session: Session, site_id: int) -> list[RoleChoice]:
    """The roles given by hand, the oldest first."""
    rows = session.scalars(select(t.RoleChoice).where(t.RoleChoice.site_id == site_id).order_by(t.RoleChoice.id))
    return [RoleChoice(r.pattern, role) for r in rows for role in ROLES if role == r.role]


def choose_roles(session: Session, site_id: int, roles: Mapping[str, str | None]) -> dict[str, str | None]:
    """Gives roles to paths or patterns (None: takes a choice back); returns what each had before."""
    before: dict[str, str | None] = dict.fromkeys(roles)
    digests = {sha256(pattern.encode()).digest(): pattern for pattern in roles}
    for part in _batches(list(digests)):
        among = (t.RoleChoice.site_id == site_id, t.RoleChoice.pattern_hash.in_(part))
        before.update(dict(session.execute(select(t.RoleChoice.pattern, t.RoleChoice.role).where(*among)).all()))
        session.execute(delete(t.RoleChoice).where(*among))
    insert_rows(
        session,
        t.RoleChoice,
        (
            {"site_id": site_id, "pattern": pattern, "pattern_hash": digest, "role": roles[pattern]}
            for digest, pattern in digests.items()
            if roles[pattern]
        ),
    )
    return before


def _batches(items: list[T]) -> Iterator[list[T]]:
    """Stretches that fit one statement."""
    for start in range(0, len(items), _BATCH):
        yield items[start : start + _BATCH]


def ask_for_audit(session: Session, capture_id: int) -> None:
    """Has a capture audited, again where it was already or is just being."""
    found = session.scalar(select(t.Audit).where(t.Audit.capture_id == capture_id))
    if found is None:
        session.add(t.Audit(capture_id=capture_id))
        return
    waiting = {"state": State.WAITING, "error": None, "tries": 0, "started_at": None, "finished_at": None}
    session.execute(update(t.Audit).where(t.Audit.id == found.id).values(**waiting))


def ask_for_audit_of_site(session: Session, site_id: int) -> None:
    """Has the site's newest capture audited again."""
    newest = session.scalar(
        select(t.Capture.id)
        .where(t.Capture.site_id == site_id, t.Capture.state == State.DONE)
        .order_by(t.Capture.id.desc())
        .limit(1)
    )
    if newest is not None:
        ask_for_audit(session, newest)


def audit_capture(capture_id: int, sessions: sessionmaker[Session], blobs: Blobs) -> None:
    """Audits a capture and keeps the outcome in place of an earlier one."""
    # Nothing is written while the site is read, so that nobody has to wait for its rows.
    with sessions() as session:
        owner = session.get_one(t.Site, session.get_one(t.Capture, capture_id).site_id)
        policy, choices = site_policy(owner), role_choices(session, owner.id)
        site, read = stored_site(session, capture_id, blobs)
        slots, weighed = newest_measured(session, capture_id)
    audit = audit_site(site, read, slots or list(guessed_slots(site)), weighed, policy, choices, in_time, page_failed)
    in_transaction(sessions, lambda session: _keep(session, capture_id, site, audit))


def _keep(session: Session, capture_id: int, site: SiteReading, audit: Audit) -> None:
    session.execute(delete(t.Finding).where(t.Finding.capture_id == capture_id))
    images = dict(session.execute(select(t.Image.path, t.Image.id).where(t.Image.capture_id == capture_id)).all())
    pages = dict(session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == capture_id)).all())
    roles = [
        {"id": images[path], "role": r.role, "role_why": r.why[:255], "role_by_hand": r.by_hand}
        for path, r in audit.roles.items()
        if path in images
    ]
    for part in _batches(roles):
        session.execute(update(t.Image), part)
    shown: list[dict[str, Any]] = [
        {"id": images[path], "unused": False, "page_count": len(on)}
        for path, on in audit.seen.items()
        if path in images
    ]
    for part in _batches(shown):
        session.execute(update(t.Image), part)
    unused = sum(i.unused for i in site.images) - len(audit.seen)
    session.execute(update(t.Capture).where(t.Capture.id == capture_id).values(unused_images=unused))
    rows = []
    for f in audit.findings:
        image = site.by_path.get(f.image or "")
        rows.append(
            {
                "capture_id": capture_id, "code": f.code, "image_id": images.get(image.path) if image else None,
                "page_id": pages.get(f.page or ""), "screen": f.screen, "source": f.source[:2048], "line": f.line,
                "sentence": f.sentence, "stake": f.stake, "measured": f.measured, "evidence": dict(f.evidence),
            }
        )  # fmt: skip
    insert_rows(session, t.Finding, rows)
