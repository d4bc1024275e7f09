"""Treatments that were made before, by what went into them: nothing is encoded twice with the same settings."""

from __future__ import annotations

import json
from contextlib import suppress
from dataclasses import dataclass

from ivory_thistle.core.treatment.rendition import RenditionFacts, facts_from, plain_fields
from ivory_thistle.store.blobs import Blobs


@dataclass(frozen=True, slots=True)
class KeptTreatment:
    """What came of an image: its renditions, whose contents are in the store, what was decided, in words, and how long
    it took to make."""

    renditions: tuple[RenditionFacts, ...]
    words: tuple[str, ...]
    seconds: float = 0.0


class Kept:
    """Treatments in a blob store of their own, each as a note by its key (`workflows.treating.Treatment.key`)."""

    def __init__(self, url: str) -> None:
        """Raises StorageError where the store can't be made."""
        self.blobs = Blobs(url)

    def read(self, key: str) -> KeptTreatment | None:
        """A note; None for one that is gone or was not written here. Of its contents, some may be gone."""
        note = self.blobs.note(key)
        if note is None:
            return None
        with suppress(ValueError, TypeError, KeyError):
            values = json.loads(note)
            renditions = tuple(facts_from(r) for r in values["renditions"])
            return KeptTreatment(renditions, tuple(values["words"]), values.get("seconds", 0.0))
        return None

    def find(self, key: str) -> KeptTreatment | None:
        """The treatment of a key; None where there is none, or where one of its contents is gone."""
        kept = self.read(key)
        if kept is None or not all(self.blobs.has(r.sha256) for r in kept.renditions):
            return None
        self.blobs.touch_note(key)
        return kept

    def keep(self, key: str, kept: KeptTreatment) -> None:
        """Notes a treatment whose contents are in the store. Raises StorageError."""
        values = {
            "renditions": [plain_fields(r) for r in kept.renditions], "words": kept.words,
            "seconds": round(kept.seconds, 3),
        }  # fmt: skip
        self.blobs.put_note(key, json.dumps(values).encode())

    def hold_to(self, limit: int) -> int:
        """Lets go of what was used longest ago until no more than `limit` bytes are kept; the bytes freed.

        For one process at a time: a treatment that another one is just keeping may lose its contents, and is then
        made again when it is asked for.
        """
        sizes = dict(self.blobs.every())
        held, stays, goes = 0, set[str](), list[str]()
        for key, _ in sorted(self.blobs.notes(), key=lambda note: -note[1]):
            kept = self.read(key)
            new = {r.sha256 for r in kept.renditions} - stays if kept else set()
            size = sum(sizes.get(digest, 0) for digest in new)
            if kept is None or held + size > limit:
                goes.append(key)
                continue
            held += size
            stays |= new
        for key in goes:
            self.blobs.remove_note(key)
        for digest in sizes.keys() - stays:
            self.blobs.remove(digest)
        return sum(sizes.values()) - held
