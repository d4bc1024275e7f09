"""A handed-over folder judged against its original: what asks for eyes first, with pictures to look at."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.errors import PictureError, UnusableInput
from ivory_thistle.core.findings.audit import site_roles
from ivory_thistle.core.formats.table import FORMATS, sniff_format
from ivory_thistle.core.formats.tiers import TIERS, and_older, measured_tier
from ivory_thistle.core.images.animation import decode_animation
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import Pixels, decode, decode_plain
from ivory_thistle.core.images.vector import drawn
from ivory_thistle.core.proof.judging import Judged, judge, judge_frames
from ivory_thistle.core.proof.queue import Asked, Candidate, in_order
from ivory_thistle.core.references.site import Image, SiteReading
from ivory_thistle.core.treatment.guessing import guessed_slots
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.system.files import open_below
from ivory_thistle.workflows.manifest import MANIFEST_KIND, MANIFEST_NAMES, read_manifest
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.workers import Call, Workers

_NEAR_WIDTH, _PREVIEW = 960, 480
_PREVIEW_QUALITY = 82
_DRAWN_SIDE = 1_280
"""Pixels on the longer side at which vector drawings are held against each other."""
_SECONDS = 120.0
Array = NDArray[np.uint8]
F = TypeVar("F")


@dataclass(frozen=True, slots=True)
class Shown:
    """What is seen of a rendition: previews of original and rendition, and pairs of its worst spots, as WebP."""

    original: bytes
    rendition: bytes
    spots: tuple[tuple[bytes, bytes], ...]


@dataclass(frozen=True, slots=True)
class Proven:
    """A rendition in its place in the queue: the file, its bytes, and what is seen of it."""

    asked: Asked
    file: Mapping[str, Any]
    bytes_before: int
    shown: Shown


@dataclass(frozen=True, slots=True)
class Proof:
    """All renditions in order, and those that can't be judged here, with why."""

    proven: tuple[Proven, ...]
    unjudged: Mapping[str, str]


def prove(original: Folder, treated: Folder, on_image: Progress = nothing) -> Proof:
    """Judges of every treated image the file that most browsers load, at the width nearest to a column's.

    Raises UnusableInput where the folder is no handover.
    """
    handed = _manifest(treated)
    site = read_folder(original)
    roles = site_roles(site, list(guessed_slots(site)))
    try:
        rules = Rules.from_dict(handed.get("rules", {}))
    except (TypeError, ValueError, KeyError, AttributeError) as error:
        raise UnusableInput("The manifest of the handover tells no rules that can be read.") from error
    chosen, unjudged = _chosen(handed, site, set(treated.paths()[0]))
    candidates: dict[str, tuple[Candidate, Mapping[str, Any], Shown]] = {}
    calls = (
        Call(path, show, ((original.root, path), (treated.root, str(file["path"])), image.facts), _SECONDS)
        for path, (image, file) in chosen.items()
    )
    with Workers() as workers:
        for done, outcome in enumerate(workers.run(calls), 1):
            path = str(outcome.key)
            image, file = chosen[path]
            on_image(done, len(chosen))
            if outcome.error:
                unjudged[path] = str(outcome.error)
                continue
            judged, shown = outcome.value
            role, kind = roles[image.path].role, image.look.kind if image.look else ""
            goal = 0 if rules.fixed or rules.cap else rules.fidelity_for(role, kind, dense=True)
            saved = image.facts.bytes - file["bytes"]
            candidates[path] = Candidate(path, role, kind, goal, saved, judged), file, shown
    queue = in_order(one for one, _, _ in candidates.values())
    return Proof(
        tuple(
            Proven(
                asked, candidates[asked.candidate.path][1], chosen[asked.candidate.path][0].facts.bytes,
                candidates[asked.candidate.path][2],
            )
            for asked in queue
        ),
        dict(sorted(unjudged.items())),
    )  # fmt: skip


def _manifest(treated: Folder) -> dict[str, Any]:
    found = next((said for name in MANIFEST_NAMES if (said := _said(treated, name))), None)
    if found is None:
        raise UnusableInput(f"{treated.root} holds no manifest of a handover ({MANIFEST_KIND}).")
    return found


def _said(treated: Folder, name: str) -> dict[str, Any] | None:
    try:
        return read_manifest(treated.read(name))
    except OSError:
        return None


def _chosen(
    handed: Mapping[str, Any], site: SiteReading, there: Collection[str]
) -> tuple[dict[str, tuple[Image, Mapping[str, Any]]], dict[str, str]]:
    """By original, the image and the file to judge; and why others can't be."""
    by_original: dict[str, list[Mapping[str, Any]]] = defaultdict(list)
    was = {new: old for old, new in handed["renamed"].items()}
    for file in handed["files"]:
        if file["tier"] in TIERS:
            by_original[was.get(file["original"], file["original"])].append(file)
    chosen: dict[str, tuple[Image, Mapping[str, Any]]] = {}
    unjudged: dict[str, str] = {}
    for path, files in sorted(by_original.items()):
        image = site.by_path.get(path)
        if image is None:
            unjudged[path] = "The original is not there."
        elif not (held := [file for file in files if file["path"] in there]):
            # Also where its path leads out of the folder.
            unjudged[path] = "Its new files are not there."
        else:
            chosen[path] = image, file_to_judge(held, lambda f: (f["tier"], f["width"]))
    return chosen, unjudged


def file_to_judge(files: Sequence[F], tier_and_width: Callable[[F], tuple[str, int]]) -> F:
    """The one that stands for all files of an image: of the most browsers, at the width nearest to a column's."""
    tiers = [tier for tier in and_older(measured_tier()) if any(tier_and_width(f)[0] == tier for f in files)]
    among = [f for f in files if tier_and_width(f)[0] == tiers[0]] if tiers else list(files)
    return min(among, key=lambda f: abs(tier_and_width(f)[1] - _NEAR_WIDTH))


def judged_pair(original: bytes, rendition: bytes, facts: ImageFacts) -> tuple[Judged, Array, Array]:
    """What is to be said of a rendition, and both as pixels: of an animation its worst frame. Raises PictureError."""
    if facts.is_vector:
        before, after = (drawn(data, _DRAWN_SIDE) for data in (original, rendition))
        if before.shape != after.shape:
            raise PictureError("It is drawn in another shape than the original.")
        return judge(before, after), before, after
    if facts.frames > 1:
        return _worst_frame(original, rendition, facts)
    before, after = _side_by_side(original, rendition, facts)
    return judge(before, after), before, after


def _worst_frame(original: bytes, rendition: bytes, facts: ImageFacts) -> tuple[Judged, Array, Array]:
    new_facts, _ = read_facts("rendition", rendition)
    if new_facts is None or new_facts.problem:
        raise PictureError("The animation can't be read.")
    after = [frame.array for frame in decode_animation(rendition, new_facts).frames]
    before = [frame.array for frame in decode_animation(original, facts, after[0].shape[1]).frames]
    try:
        judged = judge_frames(before, after)
    except ValueError as error:
        raise PictureError(f"It can't be held against the original: {error}") from error
    return judged, before[judged.frame], after[judged.frame]


def _side_by_side(original: bytes, rendition: bytes, facts: ImageFacts) -> tuple[Array, Array]:
    """The original reduced as ours are, and the rendition as a browser decodes it. Raises PictureError."""
    kind = sniff_format(rendition[:4096])
    if kind is None or FORMATS[kind].vector:
        raise PictureError("The file is no picture of pixels.")
    found, _ = read_facts("rendition", rendition)
    if found is None or found.problem:
        raise PictureError(f"The file {found.problem if found else 'can not be read'}.")
    after = decode_plain(rendition, kind)
    before = decode(original, facts, after.shape[1]).array
    if before.shape[:2] != after.shape[:2]:
        raise PictureError("The rendition was cut or reshaped; it can't be held against the whole picture.")
    return before, after


def show(original: tuple[Path, str], rendition: tuple[Path, str], facts: ImageFacts) -> tuple[Judged, Shown]:
    """Judges one rendition, and makes what is to be seen of it. Each is a folder and a path in it.

    Raises PictureError, OSError.
    """
    with open_below(*original) as before, open_below(*rendition) as after:
        return shown(before.read(), after.read(), facts)


def shown(original: bytes, rendition: bytes, facts: ImageFacts) -> tuple[Judged, Shown]:
    """The same from contents. Raises PictureError."""
    judged, before, after = judged_pair(original, rendition, facts)
    pairs = tuple(
        (_crop(before, s.box.x, s.box.y, s.box.width), _crop(after, s.box.x, s.box.y, s.box.width))
        for s in judged.spots
    )
    return judged, Shown(_preview(before), _preview(after), pairs)


def _preview(array: Array) -> bytes:
    image = Pixels(array).as_vips()
    if image.width > _PREVIEW:
        image = image.thumbnail_image(_PREVIEW, height=10_000_000, size="down")
    return bytes(image.webpsave_buffer(Q=_PREVIEW_QUALITY, keep="none"))


def _crop(array: Array, x: int, y: int, side: int) -> bytes:
    part = Pixels(np.ascontiguousarray(array[y : y + side, x : x + side])).as_vips()
    return bytes(part.webpsave_buffer(lossless=True, keep="none"))
