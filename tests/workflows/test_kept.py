"""The same picture with the same settings is encoded once, and whatever happens to what is kept, the work is done."""

from __future__ import annotations

import os
import time
from dataclasses import replace
from pathlib import Path

import pytest
from sqlalchemy import Engine

from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.narrowing import fields_of
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import sessions
from ivory_thistle.store.kept import Kept
from ivory_thistle.workflows import treating
from ivory_thistle.workflows.kept import kept_keys, open_kept
from ivory_thistle.workflows.room import Places, clear_spare, room_taken
from ivory_thistle.workflows.treating import TaskResult, Treatment, treat
from pictures import encoded, photograph

RULES = Rules(fixed=True)


@pytest.fixture
def picture(tmp_path: Path) -> Path:
    """A small photograph."""
    path = tmp_path / "coffee.jpg"
    path.write_bytes(encoded(photograph("coffee").resize((300, 200)), "JPEG", quality=95))
    return path


def at(picture: Path) -> tuple[Path, str]:
    """Where it lies, as workers are told."""
    return picture.parent, picture.name


def asked(picture: Path, rules: Rules = RULES) -> Treatment:
    """A treatment of the picture as content, in two widths."""
    facts, _ = read_facts("coffee.jpg", picture.read_bytes())
    assert facts is not None
    return Treatment(facts=facts, steps=(Step(150), Step(300)), rules=rules, kind="photograph")


def contents(result: TaskResult, store: Blobs) -> list[bytes]:
    """The files of a result."""
    return [store.get(r.sha256) for r in result.renditions]


@pytest.fixture
def nothing_encodes(monkeypatch: pytest.MonkeyPatch) -> None:
    """From here on, to encode is a failure."""

    def treat_image(*_: object) -> None:
        raise AssertionError("it was encoded")

    monkeypatch.setattr(treating, "treat_image", treat_image)


def test_a_second_site_gets_the_same_files_unencoded(
    picture: Path, tmp_path: Path, request: pytest.FixtureRequest
) -> None:
    """The files, their facts and the words are those of the first time, in another blob store."""
    kept, one, other = (str(tmp_path / name) for name in ("kept", "one", "other"))
    first = treat(one, asked(picture), at(picture), kept)
    request.getfixturevalue("nothing_encodes")
    second = treat(other, asked(picture), at(picture), kept)
    assert first.renditions
    assert (second.renditions, second.words) == (first.renditions, first.words)
    assert contents(second, Blobs(other)) == contents(first, Blobs(one))


def test_keys_of_all_that_is_kept(picture: Path, tmp_path: Path) -> None:
    """Told at once: none of an empty store, nor of one that is away."""
    place = str(tmp_path / "kept")
    assert not kept_keys(open_kept(place)) and not kept_keys(None)
    treat(str(tmp_path / "one"), asked(picture), at(picture), place)
    assert kept_keys(open_kept(place)) == {asked(picture).key}


@pytest.mark.parametrize(
    "change",
    [
        {"rules": replace(RULES, qualities={"webp": 60})},
        {"rules": replace(RULES, metadata="copyright")},
        {"rules": replace(RULES, tier_share=0.3)},
        {"rules": Rules(**fields_of({"fidelity": 65}))},
        {"steps": (Step(150), Step(300, dense=True))},
        {"role": "hero"},
        {"kind": "lettering"},
        {"apart": (300,)},
    ],
)
def test_whatever_changes_files_or_words_changes_the_key(picture: Path, change: dict[str, object]) -> None:
    """No treatment is taken for another."""
    was = asked(picture)
    assert replace(was, **change).key != was.key


@pytest.mark.parametrize(
    "rules",
    [
        Rules(fidelity={**Rules().fidelity, "hero": 50}),
        Rules(lettering=50),
        Rules(max_width=800, most_rungs=2, leave_below_bytes=1),
    ],
)
def test_what_concerns_other_images_changes_no_key(picture: Path, rules: Rules) -> None:
    """Another fidelity for heroes makes heroes anew and nothing else; widths count by the steps that follow."""
    assert asked(picture, rules).key == asked(picture, Rules()).key


def test_lettering_matters_where_the_kind_is_not_known_yet(picture: Path) -> None:
    """The picture is looked at first then, and may turn out to be lettering."""
    unknown = replace(asked(picture, Rules()), kind=None)
    assert replace(unknown, rules=Rules(lettering=50)).key != unknown.key


def test_a_damaged_store_costs_work_and_nothing_else(picture: Path, tmp_path: Path) -> None:
    """A file with another content, a note that is none, a store that can't be made: the picture is encoded again."""
    kept, treatment = tmp_path / "kept", asked(picture)
    right = treat(str(tmp_path / "1"), treatment, at(picture), str(kept))
    blob = next(p for p in kept.rglob("*") if p.name == right.renditions[0].sha256)
    blob.write_bytes(b"something else")
    assert treat(str(tmp_path / "2"), treatment, at(picture), str(kept)).renditions == right.renditions
    assert Blobs(str(tmp_path / "2")).get(right.renditions[0].sha256) != b"something else"
    next(kept.rglob("*.json")).write_text('{"renditions": [{}]}')
    assert treat(str(tmp_path / "3"), treatment, at(picture), str(kept)).renditions == right.renditions
    assert (
        treat(str(tmp_path / "4"), treatment, at(picture), str(picture / "below-a-file")).renditions == right.renditions
    )


def test_what_was_used_longest_ago_goes_first(picture: Path, tmp_path: Path) -> None:
    """Held to the bytes of two of three treatments, the store lets go of the one that was not asked for again."""
    kept = Kept(str(tmp_path / "kept"))
    treatments = [asked(picture, replace(RULES, qualities={"baseline": q})) for q in (60, 50, 40)]
    for treatment in treatments:
        treat(str(tmp_path / "site"), treatment, at(picture), kept.blobs.url)
    everything = sum(size for _, size in kept.blobs.every())
    for age, treatment in zip((300, 200, 100), treatments, strict=True):
        note = next((tmp_path / "kept").rglob(f"{treatment.key}.json"))
        os.utime(note, (time.time() - age,) * 2)
    assert kept.find(treatments[0].key)
    assert kept.hold_to(everything - 1) > 0
    assert [kept.find(t.key) is not None for t in treatments] == [True, False, True]
    assert kept.hold_to(0) > 0
    assert list(kept.blobs.every()) == []


@pytest.mark.database
def test_the_room_that_it_takes_is_told_and_given_back(engine: Engine, picture: Path, tmp_path: Path) -> None:
    """All of it is spare: nothing needs it but the work that it saves."""
    kept, blobs = tmp_path / "kept", Blobs(str(tmp_path / "blobs"))
    treat(blobs.url, asked(picture), at(picture), str(kept))
    places = Places(tmp_path / "uploads", tmp_path / "staging", None, kept)
    with sessions(engine)() as session:
        part = next(room for room in room_taken(session, blobs, places) if room.kind == "kept")
    assert part.bytes == part.spare == sum(p.stat().st_size for p in kept.rglob("*") if p.is_file()) > 0
    assert clear_spare(sessions(engine), blobs, places) >= part.spare
    assert Kept(str(kept)).find(asked(picture).key) is None
