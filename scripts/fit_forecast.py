"""Fits the forecast's model of bytes and time on published pictures, and writes src/…/core/forecast/coefficients.py.

    scripts/fit_forecast.py grain FOLDER TARGET                  grainy copies of the photographs of a folder
    scripts/fit_forecast.py collect FOLDER… > pictures.jsonl     what really comes of them (about a minute a picture)
    scripts/fit_forecast.py fit pictures.jsonl…                  the models of bytes, and what they leave unexplained
    scripts/fit_forecast.py time pictures.jsonl…                 the seconds, of this machine in this hour

The coefficients at hand come from 51 photographs of Debian's opencv-doc and plasma-workspace-wallpapers, of
scikit-image and scikit-learn, from grainy copies of 26 of them, and from 24 drawings (screenshots, diagrams) of
opencv-doc.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import cv2
import numpy as np

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.forecast.coefficients import DRAWN, FIXED, PLAIN, PROBED, SECONDS
from ivory_thistle.core.forecast.model import Drawn, Files, Plain, Probed, Subject
from ivory_thistle.core.forecast.probes import Probe, probe
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.kind import DRAWN as DRAWN_KINDS
from ivory_thistle.core.images.kind import look_at
from ivory_thistle.core.images.pixels import decode, reduce
from ivory_thistle.core.treatment.making import make_files
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.wish import Made, Rung, Wish

_WIDTHS = (480, 960, 1500)
_FIDELITIES = {75: 3, 65: 2, 85: 1, 50: 1}
"""Each with the number of widths, the narrowest first, that it is searched at."""
_GRAINS = (4, 8)
"""Standard deviations of noise, in steps of 255: what is left of that of cameras in a picture so wide."""
_TARGET = Path("src/ivory_thistle/core/forecast/coefficients.py")


def grain(folder: str, target: str) -> None:
    """Copies of the photographs of a folder, no wider than 1,500 px, with noise: published ones hardly have any.

    One in two is noise of brightness, the other of colours; in turns of two strengths.
    """
    for n, path in enumerate(sorted(Path(folder).iterdir())):
        pixels = cv2.imread(str(path), cv2.IMREAD_COLOR).astype(np.float32)
        share = min(1.0, _WIDTHS[-1] / pixels.shape[1])
        pixels = cv2.resize(pixels, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
        channels = 3 if n % 2 else 1
        noise = np.random.default_rng(n).normal(0, _GRAINS[n // 2 % len(_GRAINS)], (*pixels.shape[:2], channels))
        noisy = np.clip(pixels + noise, 0, 255).astype(np.uint8)
        cv2.imwrite(str(Path(target) / f"{path.stem}-{n}.jpg"), noisy, [cv2.IMWRITE_JPEG_QUALITY, 95])


def collect(folders: list[str]) -> Iterator[dict[str, Any]]:
    """A record a picture: what is seen of it, and its files by way, fidelity, tier and width."""
    paths = sorted(p for folder in folders for p in Path(folder).rglob("*") if p.suffix in (".jpg", ".jpeg", ".png"))
    for path in paths:
        data = path.read_bytes()
        facts = read_facts(path.name, data)[0]
        if not facts or facts.problem or facts.frames > 1 or facts.width < 300:
            continue
        look = look_at(data, facts)
        if look is None:
            continue
        drawn = look.kind in DRAWN_KINDS and facts.format == "png"
        try:
            begun = time.process_time()
            top = decode(data, facts, min(facts.width, 1920)).without_unused_alpha()
            decoding = time.process_time() - begun
            looked = probe(data, facts)
        except (PictureError, EncodeError):
            continue
        record: dict[str, Any] = {
            "path": str(path), "drawn": drawn, "detail": look.detail, "grain": look.features["grain"],
            "bytes": facts.bytes, "width": facts.width, "height": facts.height, "probe": looked.as_dict(),
            "decoding": decoding, "rows": [],
        }  # fmt: skip
        widths = [w for w in _WIDTHS if w < top.width] or [top.width]
        for fidelity, count in _FIDELITIES.items():
            rungs = [Rung(reduce(top, width)) for width in widths[:count]]
            record["rows"] += _rows(rungs, Rules(), drawn, fidelity)
        record["rows"] += _rows([Rung(reduce(top, w)) for w in widths[:2]], Rules(fixed=True), drawn, 75)
        yield record


def _rows(rungs: list[Rung], rules: Rules, drawn: bool, fidelity: int) -> list[dict[str, Any]]:
    found = []
    for tier in TIERS:
        begun = time.process_time()
        made: list[Made] = make_files(rungs, Wish(rules, drawn, lambda rung: fidelity), (tier,))[tier]
        seconds = (time.process_time() - begun) / sum(r.pixels.width * r.pixels.height for r in rungs) * 1e6
        found += [
            {
                "fixed": rules.fixed, "fidelity": fidelity, "tier": tier, "format": m.encoded.format,
                "width": m.encoded.width, "bytes": m.encoded.bytes, "met": m.met, "seconds": seconds,
            }
            for m in made
        ]  # fmt: skip
    return found


def fit(records: list[dict[str, Any]]) -> dict[str, dict[str, dict[str, float]]]:
    """The models' coefficients; what is left unexplained goes to standard error."""
    photographs, drawings = [r for r in records if not r["drawn"]], [r for r in records if r["drawn"]]
    found = _known_models()
    if photographs:
        names = ("jpeg", "webp", "avif")
        found["PROBED"] = _fitted(Probed, photographs, names, fixed=False)
        found["PLAIN"] = _fitted(Plain, photographs, names, fixed=False)
        found["FIXED"] = _fitted(Plain, photographs, names, fixed=True)
    if drawings:
        found["DRAWN"] = _fitted(Drawn, drawings, ("png", "webp", "avif"), fixed=False)
    return found


def _known_models() -> dict[str, dict[str, dict[str, float]]]:
    """The coefficients as they are: what records tell nothing of stays."""
    models: dict[str, Mapping[str, Any]] = {"PROBED": PROBED, "PLAIN": PLAIN, "FIXED": FIXED, "DRAWN": DRAWN}
    return {name: {of: asdict(model) for of, model in by_format.items()} for name, by_format in models.items()}


def timed(records: list[dict[str, Any]]) -> dict[str, float]:
    """The seconds of a megapixel, by format and way."""
    seconds = dict(SECONDS)
    for way in {_way(r, row) for r in records for row in r["rows"]}:
        among = [row["seconds"] for r in records for row in r["rows"] if _way(r, row) == way]
        seconds[way] = round(float(np.mean(among)), 3)
    seconds["decoding"] = round(float(np.mean([r["decoding"] / (r["width"] * r["height"]) * 1e6 for r in records])), 4)
    return seconds


def _way(record: dict[str, Any], row: dict[str, Any]) -> str:
    """A format and how its files are made, as the seconds are told."""
    return f"{row['format']} {'drawn' if record['drawn'] else 'fixed' if row['fixed'] else 'searched'}"


def _fitted(
    model: Any, records: list[dict[str, Any]], names: Sequence[str], fixed: bool
) -> dict[str, dict[str, float]]:
    """Each format's coefficients; the first is the fallback, beside which the others' files stand."""
    found, offs = {}, {}
    for name in names:
        found[name], offs[name] = _least_squares(model, records, name, fixed)
        apart = [off - offs[names[0]][key] for key, off in offs[name].items() if key in offs[names[0]]]
        found[name]["beside"] = round(float(np.std(apart)), 2)
    return found


def _least_squares(
    model: Any, records: list[dict[str, Any]], name: str, fixed: bool
) -> tuple[dict[str, float], dict[tuple[int, int, int], float]]:
    """Over all files of a format; the spread is that of pictures which were left out of the fit, told for each file."""
    terms, values, keys = [], [], []
    for n, record in enumerate(records):
        subject = _subject(record)
        for row in record["rows"]:
            if row["format"] != name or not row["met"] or row["fixed"] != fixed:
                continue
            file = Files.of([subject], np.array([0]), [row["width"]]).asked_for(row["fidelity"])
            told = {name: float(np.ravel(term)[0]) for name, term in zip(model.TERMS, model.terms(file), strict=True)}
            pixels = 1.0 if model is Drawn else file.pixels[0]
            terms.append({name: term for name, term in told.items() if not (fixed and name in ("fidelity", "bent"))})
            values.append(np.log(row["bytes"] / pixels))
            keys.append((n, row["width"], row["fidelity"]))
    x = np.array([[*row.values()] for row in terms])
    y, of = np.array(values), np.array([picture for picture, *_ in keys])
    off = np.zeros(len(y))
    for picture in set(of):
        others, *_ = np.linalg.lstsq(x[of != picture], y[of != picture], rcond=None)
        off[of == picture] = y[of == picture] - x[of == picture] @ others
    within = np.mean(np.abs(np.expm1(-off)) < 0.3)
    sys.stderr.write(
        f"{model.__name__} {name}{' fixed' if fixed else ''}: {len(set(of))} pictures, {len(y)} files, "
        f"spread {off.std():.2f}, within 30 %: {100 * within:.0f} %\n"
    )
    solved, *_ = np.linalg.lstsq(x, y, rcond=None)
    coefficients = dict(zip(terms[0], (round(float(c), 3) for c in solved), strict=True))
    return {**coefficients, "spread": round(float(off.std()), 2)}, dict(zip(keys, off.tolist(), strict=True))


def _subject(record: dict[str, Any]) -> Subject:
    return Subject(
        record["detail"], record["grain"], record["bytes"], record["width"], record["height"],
        Probe.from_dict(record["probe"]),
    )  # fmt: skip


def _module(models: dict[str, dict[str, dict[str, float]]], seconds: dict[str, float]) -> str:
    kinds = {"PROBED": "Probed", "PLAIN": "Plain", "FIXED": "Plain", "DRAWN": "Drawn"}
    said = {
        "PROBED": "Searched files of pictures that were looked at closer, by format.",
        "PLAIN": "Searched files of the others.",
        "FIXED": "Files at their tier's own fixed quality.",
        "DRAWN": "Files of drawings.",
    }
    parts = [
        '"""The coefficients of the forecast, as scripts/fit_forecast.py writes them."""\n',
        "from __future__ import annotations\n\nfrom collections.abc import Mapping\n",
        "from ivory_thistle.core.forecast.model import Drawn, Plain, Probed\n",
    ]
    for name, by_format in models.items():
        rows = "\n".join(
            f'    "{of}": {kinds[name]}({", ".join(f"{k}={v}" for k, v in values.items())}),'
            for of, values in sorted(by_format.items())
        )
        parts.append(f'{name}: Mapping[str, {kinds[name]}] = {{\n{rows}\n}}\n"""{said[name]}"""\n')
    rows = "\n".join(f'    "{way}": {value},' for way, value in seconds.items())
    parts.append(
        f"SECONDS: Mapping[str, float] = {{\n{rows}\n}}\n"
        '"""Of one worker: a megapixel of each format and way, of decoding, of an animation\'s frames; a file; a\n'
        "vector drawing; and of the machine, a page looked at on one screen, and one that was\n"
        'seen before when it was measured. The last five are not fitted."""\n'
    )
    return "\n".join(parts)


def main() -> None:
    what, *given = sys.argv[1:]
    if what == "grain":
        grain(*given)
        return
    if what == "collect":
        for record in collect(given):
            print(json.dumps(record), flush=True)
        return
    found = (json.loads(line) for path in given for line in Path(path).read_text().splitlines())
    records = [record for record in found if _is_sound(record)]
    models, seconds = (_known_models(), timed(records)) if what == "time" else (fit(records), dict(SECONDS))
    _TARGET.write_text(_module(models, seconds))


def _is_sound(record: dict[str, Any]) -> bool:
    """Whether its small files score anything: composites with hard random edges don't, at any quality."""
    return all(score > 0 for pair in record["probe"]["files"].values() for _, score in pair)


if __name__ == "__main__":
    main()
