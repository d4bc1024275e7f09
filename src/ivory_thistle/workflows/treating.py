"""One image treated into a blob store: the task that workers execute."""

from __future__ import annotations

import time
from collections.abc import Hashable
from dataclasses import dataclass
from pathlib import Path

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.resize import Resize
from ivory_thistle.core.treatment.choice import Treated
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.rendition import RenditionFacts, facts_of
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.workers import Call, Outcome

_SECONDS, _SECONDS_A_MEGAPIXEL = 300.0, 120.0
_MEMORY, _MEMORY_A_PIXEL = 2_000_000_000, 60


@dataclass(frozen=True, slots=True)
class Treatment:
    """What is to be made of an image; the fields are the arguments of `treat_image`."""

    facts: ImageFacts
    steps: tuple[Step, ...]
    rules: Rules
    role: Role = "content"
    kind: str | None = None
    size: Resize | None = None
    own_size: bool = False

    def call(self, key: Hashable, blobs_url: str, path: Path | None = None) -> Call:
        """The call that treats the image into a blob store, from there or from a file, with limits by its pixels."""
        pixels = self.facts.width * self.facts.height * self.facts.frames
        seconds = _SECONDS + _SECONDS_A_MEGAPIXEL * pixels / 1e6
        memory = _MEMORY + _MEMORY_A_PIXEL * self.facts.width * self.facts.height
        return Call(key, treat, (blobs_url, self, path), seconds, memory)


@dataclass(frozen=True, slots=True)
class TaskResult:
    """What a worker sends back: facts only, the files are in the blob store. `reason`: why it failed."""

    renditions: tuple[RenditionFacts, ...] = ()
    words: tuple[str, ...] = ()
    reason: str = ""
    seconds: float = 0.0


def result_of(outcome: Outcome) -> TaskResult:
    """What became of a task, also where its worker was ended."""
    if outcome.error is None:
        result: TaskResult = outcome.value
        return result
    return TaskResult(reason=str(outcome.error) or type(outcome.error).__name__)


def treat(blobs_url: str, treatment: Treatment, path: Path | None = None) -> TaskResult:
    """Treats an image; one that can't be treated is a result with its reason. Raises StorageError."""
    begun = time.monotonic()
    blobs = Blobs(blobs_url)
    try:
        treated = _treated(path.read_bytes() if path else blobs.get(treatment.facts.sha256), treatment)
    except (PictureError, EncodeError) as error:
        return TaskResult(reason=str(error), seconds=time.monotonic() - begun)
    except MemoryError:
        return TaskResult(reason="It needs more memory than a picture of its size may have.")
    except OSError as error:
        return TaskResult(reason=f"Its content can't be read any more ({error.strerror or error}); read the site anew.")
    for rendition in treated.renditions:
        blobs.put(rendition.data, rendition.sha256)
    facts = tuple(facts_of(r) for r in treated.renditions)
    return TaskResult(facts, treated.words, seconds=time.monotonic() - begun)


def _treated(data: bytes, of: Treatment) -> Treated:
    return treat_image(data, of.facts, of.steps, of.rules, of.role, of.kind, of.size, of.own_size)
