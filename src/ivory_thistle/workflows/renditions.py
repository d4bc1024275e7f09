"""One image treated by its address in the blob store: the task that workers execute."""

from __future__ import annotations

import time
from dataclasses import dataclass

import cv2

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.rewriting.delivery import RenditionFacts
from ivory_thistle.core.treatment.choice import Treated
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from ivory_thistle.store.blobs import Blobs


@dataclass(frozen=True, slots=True)
class TaskResult:
    """What a worker sends back: facts only, the files are in the blob store. `reason`: why it failed."""

    renditions: tuple[RenditionFacts, ...] = ()
    words: tuple[str, ...] = ()
    reason: str = ""
    seconds: float = 0.0


def use_one_thread() -> None:
    """For a process that treats one image at a time beside others: more threads would only be in each other's way."""
    cv2.setNumThreads(1)


def facts_of(treated: Treated) -> tuple[RenditionFacts, ...]:
    """The renditions' facts without their data."""
    return tuple(
        RenditionFacts(r.tier, r.format, r.width, r.height, r.bytes, r.sha256, r.settings, r.score)
        for r in treated.renditions
    )


def treat_blob(
    blobs_url: str,
    facts: ImageFacts,
    steps: tuple[Step, ...],
    rules: Rules,
    role: Role,
    kind: str | None,
    own_size: bool = False,
) -> TaskResult:
    """Treats the image with `facts`; a picture that can't be treated is a result with its reason."""
    use_one_thread()
    begun = time.monotonic()
    blobs = Blobs(blobs_url)
    try:
        treated = treat_image(blobs.get(facts.sha256), facts, steps, rules, role, kind, own_size=own_size)
    except (PictureError, EncodeError, FileNotFoundError, MemoryError) as error:
        return TaskResult(reason=str(error) or type(error).__name__, seconds=time.monotonic() - begun)
    for rendition in treated.renditions:
        blobs.put(rendition.data, rendition.sha256)
    return TaskResult(facts_of(treated), treated.words, seconds=time.monotonic() - begun)
