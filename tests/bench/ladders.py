"""What the benches of searching and of runs share: photographs of a published package, as ladders."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator, Sequence
from pathlib import Path

from ivory_thistle.core.formats.avif import AVIF
from ivory_thistle.core.formats.encoder import Encoder, Settings
from ivory_thistle.core.formats.jpeg import JPEG
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.core.formats.webp import WEBP
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import decode, decode_plain, reduce
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.treatment.wish import Rung

WIDTHS = (480, 960, 1440, 2000)
LOSSY: dict[Tier, Encoder] = {"avif": AVIF, "webp": WEBP, "baseline": JPEG}


def photographs(folders: Sequence[str]) -> Iterator[tuple[bytes, ImageFacts]]:
    """The JPEG files of the folders; without any, those of Debian's mate-backgrounds."""
    if folders:
        yield from _in(Path(f) for f in folders)
        return
    from tests.registries import debian_package

    with tempfile.TemporaryDirectory() as place:
        yield from _in([debian_package("mate-backgrounds", Path(place), "*.jpg")])


def _in(folders: Iterator[Path] | Sequence[Path]) -> Iterator[tuple[bytes, ImageFacts]]:
    for path in sorted(p for folder in folders for p in folder.rglob("*") if p.suffix.lower() in (".jpg", ".jpeg")):
        data = path.read_bytes()
        facts = read_facts(path.name, data)[0]
        if facts and not facts.problem and facts.width >= WIDTHS[0]:
            yield data, facts


def ladder(data: bytes, facts: ImageFacts, widths: Sequence[int] = WIDTHS) -> list[Rung]:
    """A picture's rungs, decoded once and reduced."""
    top = decode(data, facts, widths[-1])
    return [*(Rung(reduce(top, w)) for w in widths[:-1] if w < top.width), Rung(top)]


def encoded_once(rung: Rung, name: FormatName, how: Settings) -> float:
    """CPU seconds of one encode with the settings of a file."""
    encoder = FORMATS[name].encoder
    assert encoder is not None
    begun = time.process_time()
    encoder.encode(rung.pixels, how)
    return time.process_time() - begun


def one_quality(tier: Tier, ladders: Sequence[Sequence[Rung]], quality: int) -> tuple[int, float]:
    """Total bytes and worst score of all rungs at one quality."""
    total, worst = 0, 100.0
    for rung in (r for rungs in ladders for r in rungs):
        encoded = LOSSY[tier].encode(rung.pixels, Settings(quality))
        total += encoded.bytes
        worst = min(worst, score(prepare(rung.pixels.array), decode_plain(encoded.data, encoded.format)))
    return total, worst
