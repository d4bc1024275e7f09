"""One image treated into a blob store: the task that workers execute."""

from __future__ import annotations

import json
import time
from collections.abc import Hashable
from dataclasses import dataclass, replace
from functools import cache
from hashlib import sha256
from importlib import import_module
from pathlib import Path

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.resize import Resize
from ivory_thistle.core.treatment.choice import Treated
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.ladder import Plan, Step
from ivory_thistle.core.treatment.rendition import RenditionFacts, facts_of
from ivory_thistle.core.treatment.roles import Role
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import pays_to_sketch, sketch_image, treat_image
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.system.files import open_below
from ivory_thistle.workflows.kept import keep, take_kept
from ivory_thistle.workflows.plugged import named_formats
from ivory_thistle.workflows.versions import code_version
from ivory_thistle.workflows.workers import Call, Outcome

_SECONDS, _SECONDS_A_MEGAPIXEL = 300.0, 120.0
_MEMORY, _MEMORY_A_PIXEL = 2_000_000_000, 60
_ENCODING = ("formats", "images", "quality", "search", "treatment")
# These decide which widths are made, which fidelity holds for a role (both are asked for by themselves), and when
# something leaves.
_ONLY_PLANNED = frozenset(
    {"fidelity", "lettering", "dense_less", "widths", "max_width", "most_rungs", "leave_below_bytes"}
    | {"background_widths", "demand_check", "form", "narrower", "density", "size", "focus", "picture_widths", "names"}
)


@dataclass(frozen=True, slots=True)
class Treatment:
    """What is to be made of an image; the fields are the arguments of `treat_image`. `sketch`: of `sketch_image`."""

    facts: ImageFacts
    steps: tuple[Step, ...]
    rules: Rules
    role: Role = "content"
    kind: str | None = None
    size: Resize | None = None
    apart: tuple[int, ...] = ()
    sketch: bool = False

    def call(self, key: Hashable, blobs_url: str, at: tuple[Path, str] | None = None, kept_url: str = "") -> Call:
        """The call that treats the image into a blob store, with limits by its pixels.

        Its content comes from there, or from a folder and a path in it (`at`).

        Where the store at `kept_url` has the same treatment, its files are taken from there, else kept there.
        """
        pixels = self.facts.width * self.facts.height * self.facts.frames
        seconds = _SECONDS + _SECONDS_A_MEGAPIXEL * pixels / 1e6
        memory = _MEMORY + _MEMORY_A_PIXEL * self.facts.width * self.facts.height
        return Call(key, treat, (blobs_url, self, at, kept_url), seconds, memory)

    @property
    def pays_to_sketch(self) -> bool:
        """Whether its sketches take clearly less time than its files."""
        return pays_to_sketch(self.facts, self.steps, self.rules, self.kind, self.size)

    @property
    def at_first(self) -> Treatment:
        """What is made of the image to begin with: its sketch where that pays, else all as it will be."""
        return replace(self, sketch=self.pays_to_sketch)

    @property
    def key(self) -> str:
        """What its files follow from, as a SHA-256: the picture's content, all that is asked, and what encodes it."""
        # Without a kind, the picture is looked at first: it may turn out to be lettering.
        kinds = [self.kind] if self.kind is not None else ["", "lettering"]
        looks = [self.rules.fidelity_for(self.role, kind, dense) for kind in kinds for dense in (False, True)]
        asked = (
            self.facts.sha256, [(s.width, s.dense) for s in self.steps], _digest_of(self.rules), looks, self.role,
            self.kind, self.size, self.apart, self.rules.form is HandoverForm.IN_PLACE, encoding_version(), self.sketch,
        )  # fmt: skip
        return sha256(repr(asked).encode()).hexdigest()


def _digest_of(rules: Rules) -> str:
    """What files follow from of the rules. Thousands of images share theirs, so it is worked out once for these."""
    known = _digests.get(id(rules))
    if known is None:
        if len(_digests) >= _MOST_DIGESTS:
            _digests.clear()
        asked = {name: value for name, value in rules.as_dict().items() if name not in _ONLY_PLANNED}
        digest = sha256(json.dumps(asked, sort_keys=True).encode()).hexdigest()
        known = _digests[id(rules)] = rules, digest
    return known[1]


_MOST_DIGESTS = 1_000
_digests: dict[int, tuple[Rules, str]] = {}
"""With the rules themselves: as long as they are held, no others have their identity."""


def treatment_of(planned: Plan) -> Treatment:
    """What is to be made of an image by its plan."""
    image = planned.image
    return Treatment(
        facts=image.facts, steps=tuple(planned.steps), rules=planned.rules, role=planned.role,
        kind=image.look.kind if image.look else None, size=planned.rules.shape, apart=planned.apart,
    )  # fmt: skip


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


def treat(blobs_url: str, treatment: Treatment, at: tuple[Path, str] | None = None, kept_url: str = "") -> TaskResult:
    """Treats an image; one that can't be treated is a result with its reason. Raises StorageError."""
    begun = time.monotonic()
    blobs = Blobs(blobs_url)
    if kept_url and (found := take_kept(kept_url, treatment.key, blobs)):
        return TaskResult(found.renditions, found.words, seconds=time.monotonic() - begun)
    try:
        treated = _treated(_content(at, treatment.facts.sha256, blobs), treatment)
    except (PictureError, EncodeError) as error:
        return TaskResult(reason=str(error), seconds=time.monotonic() - begun)
    except MemoryError:
        return TaskResult(reason="It needs more memory than a picture of its size may have.")
    except OSError as error:
        return TaskResult(reason=f"Its content can't be read any more ({error.strerror or error}); read the site anew.")
    for rendition in treated.renditions:
        blobs.put(rendition.data, rendition.sha256)
    seconds = time.monotonic() - begun
    if kept_url:
        keep(kept_url, treatment.key, treated, seconds)
    made = tuple(facts_of(r) for r in treated.renditions)
    return TaskResult(made, treated.words, seconds=seconds)


def _content(at: tuple[Path, str] | None, digest: str, blobs: Blobs) -> bytes:
    """The image's bytes. Raises OSError, also where a file is no longer the one that was read."""
    if at is None:
        return blobs.get(digest)
    with open_below(*at) as file:
        data = file.read()
    if sha256(data).hexdigest() != digest:
        raise OSError(None, "the file has changed", at[1])
    return data


@cache
def encoding_version() -> str:
    """What encodes: the versions of the libraries, and the code that decodes, reduces, searches and judges.

    Another version may make other files of the same picture.
    """
    plugged = [Path(place) for name in named_formats() if (place := import_module(name).__file__)]
    return code_version(_ENCODING, plugged)


def _treated(data: bytes, of: Treatment) -> Treated:
    if of.sketch:
        return sketch_image(data, of.facts, of.steps, of.rules, of.role, of.kind, of.size) or Treated((), ())
    return treat_image(data, of.facts, of.steps, of.rules, of.role, of.kind, of.size, of.apart)
