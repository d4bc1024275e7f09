"""A site that was read, from a folder on disk or from a stored capture: what planning and delivering work on."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field

from sqlalchemy.orm import Session

from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.treatment.roles import Role, Slot
from ivory_thistle.intake.known import LookUp, nothing_known
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.collecting import without_collecting
from ivory_thistle.workflows.looks import Looks
from ivory_thistle.workflows.measured import measured_pages, newest_measured
from ivory_thistle.workflows.storing import stored_roles, stored_site


@dataclass(frozen=True, slots=True)
class AtHand:
    """A site and a reader of its files by path, with what is known of it.

    `slots` are boxes that show images, measured or guessed; `roles` by path of the image; `measured_pages` were
    measured on every screen; `look_up` tells what was seen of pages when they were.
    """

    site: SiteReading
    read: Callable[[str], bytes]
    slots: tuple[Slot, ...] = ()
    roles: Mapping[str, Role] = field(default_factory=dict)
    measured_pages: Collection[str] = ()
    look_up: LookUp = nothing_known


def stored_at_hand(session: Session, capture_id: int, blobs: Blobs) -> AtHand:
    """A stored capture with its newest measurement and the roles that its audit found."""
    with without_collecting():
        site, read = stored_site(session, capture_id, blobs)
    slots, _ = newest_measured(session, capture_id)
    roles, whole = stored_roles(session, capture_id), measured_pages(session, capture_id)
    return AtHand(site, read, tuple(slots), roles, whole, Looks(site, blobs).find)
