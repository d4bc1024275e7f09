"""Whatever a call does to its worker, that call alone fails; others, and those killed from outside, are done."""

from __future__ import annotations

import ctypes
import json
import os
import signal
import threading
import time
from collections.abc import Iterator
from dataclasses import asdict
from pathlib import Path

import pytest

from ivory_thistle.core.errors import PictureError
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows import clock, inspecting
from ivory_thistle.workflows import workers as workers_module
from ivory_thistle.workflows.clock import TookTooLongError, in_time
from ivory_thistle.workflows.inspecting import inspect_file, inspection
from ivory_thistle.workflows.reading import inspect_folder
from ivory_thistle.workflows.workers import Call, CallFailedError, Workers, WorkersError
from pictures import encoded, photograph
from waiting import until


def double(number: int) -> int:
    return 2 * number


def sleep(seconds: float) -> None:
    time.sleep(seconds)


def fill(size: int) -> int:
    return len(bytearray(size))


def crash() -> None:
    ctypes.string_at(0)


def kill_oneself() -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def raise_odd() -> None:
    class LocalError(Exception):
        pass

    raise LocalError("can't be pickled")


def refuse() -> None:
    raise PictureError("no picture")


def note_and_wait(place: str) -> int:
    Path(place).write_text(str(os.getpid()))
    # Until somebody takes the file away, or this process.
    until(lambda: not Path(place).exists())
    return os.getpid()


@pytest.fixture
def workers() -> Iterator[Workers]:
    """Two workers."""
    with Workers() as some:
        yield some


def test_every_call_is_answered_and_only_the_bad_ones_fail(workers: Workers) -> None:
    """A crash, a hang, a hunger for memory and two errors among calls that are well."""
    calls = [Call(n, double, (n,), 30) for n in range(20)]
    calls[3:3] = [
        Call("crash", crash, (), 30),
        Call("hang", sleep, (60.0,), 0.5),
        Call("memory", fill, (10**9,), 30, 200_000_000),
        Call("odd", raise_odd, (), 30),
        Call("refused", refuse, (), 30),
    ]
    found = {outcome.key: outcome for outcome in workers.run(calls)}
    assert {n: found[n].value for n in range(20)} == {n: 2 * n for n in range(20)}
    assert "SIGSEGV" in str(found["crash"].error) and isinstance(found["crash"].error, CallFailedError)
    assert str(found["hang"].error) == "It was not done within 0 seconds."
    assert isinstance(found["memory"].error, MemoryError)
    assert str(found["odd"].error) == "LocalError: can't be pickled"
    assert str(found["refused"].error) == "no picture" and isinstance(found["refused"].error, PictureError)


def test_a_slow_start_takes_no_time_from_a_call(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """On a busy machine it takes long to import what reads pictures: the first pages of a site are read all the same."""
    (tmp_path / "starts_slowly.py").write_text("import time\ntime.sleep(4)\n")
    monkeypatch.syspath_prepend(tmp_path)
    monkeypatch.setenv("THISTLE_FORMATS", "starts_slowly")
    with Workers(at_once=1) as one:
        # A function that needs no import of its own: that would count.
        (outcome,) = one.run([Call("x", abs, (-4,), 3)])
    assert outcome.value == 4, outcome.error


def test_one_killed_from_outside_is_no_calls_fault(workers: Workers, tmp_path: Path) -> None:
    """Its call is given to another; one that is killed again and again fails in the end."""
    place = tmp_path / "pid"
    killed: list[int] = []

    def kill() -> None:
        until(lambda: place.exists() and place.read_text(), every=0.01)
        killed.append(int(place.read_text()))
        os.kill(killed[0], signal.SIGKILL)
        until(lambda: place.read_text() not in ("", str(killed[0])), every=0.01)
        place.unlink()

    threading.Thread(target=kill, daemon=True).start()
    (outcome,) = workers.run([Call("x", note_and_wait, (str(place),), 30)])
    assert outcome.error is None and outcome.value != killed[0]
    (outcome,) = workers.run([Call("y", kill_oneself, (), 30)])
    assert "SIGKILL" in str(outcome.error)


def test_workers_that_never_begin_are_no_calls_fault(monkeypatch: pytest.MonkeyPatch) -> None:
    """The machine lacks something: it is said once, and no file is called broken for it."""
    monkeypatch.setattr(workers_module, "named_formats", lambda: ("there.is.no.such.module",))
    with Workers() as workers, pytest.raises(WorkersError, match=r"can't be started here \(exit code 1\)"):
        list(workers.run(Call(n, len, ("abc",), 5) for n in range(20)))


def test_stopping_gives_up_what_is_in_hand(workers: Workers) -> None:
    """At once, and the next run begins with new workers."""
    begun = time.monotonic()
    assert list(workers.run([Call("x", sleep, (60.0,), 90)], lambda: time.monotonic() > begun + 0.5)) == []
    assert time.monotonic() - begun < 20
    assert [outcome.value for outcome in workers.run([Call("y", double, (4,), 30)])] == [8]


def test_workers_end_with_whoever_asked() -> None:
    """None is left after the block."""
    with Workers() as some:
        list(some.run([Call(n, double, (n,), 30) for n in range(4)]))
        pids = some.pids
    assert len(pids) == 2
    for pid in pids:
        assert not Path(f"/proc/{pid}").exists() or "Z" in Path(f"/proc/{pid}/stat").read_text().split()[2]


def test_a_picture_that_takes_too_long_is_its_own_fault(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The others are read; it is listed with words, and kept byte for byte."""
    data = encoded(photograph("coffee"), "PNG")
    for name in ("a.png", "b.png"):
        (tmp_path / name).write_bytes(data)
    real = inspection

    def short(folder: Folder, path: str, *_: object) -> Call:
        call = real(folder, path, None)
        return Call(path, sleep, (60.0,), 0.3) if path == "a.png" else call

    monkeypatch.setattr("ivory_thistle.workflows.reading.inspection", short)
    found = inspect_folder(Folder(tmp_path))
    slow, fine = found.files
    assert slow.image is not None and slow.image.problem == "can't be decoded here: it was not done within 0 seconds"
    assert slow.bytes == len(data) and fine.image is not None and fine.image.problem == ""
    assert [f.message for f in found.faults] == ["a.png is kept as it is. It was not done within 0 seconds."]
    assert inspecting.inspection is real


def test_a_page_that_takes_too_long_is_its_own_fault(monkeypatch: pytest.MonkeyPatch) -> None:
    """An alarm breaks off whatever it does, a search for a match too."""
    monkeypatch.setattr(clock, "_SECONDS", 1.0)

    def read(path: str) -> bytes:
        if path == "bad.html":
            while True:
                pass
        return b"<img src=a.png>"

    files = [SiteFile(p, p, 9) for p in ("bad.html", "good.html")]
    site = read_site(files, read, within=in_time)
    assert [f.message for f in site.faults] == ["bad.html is not audited: It was not done within 1 seconds."]
    again = read_site(files, read, site.faults, within=in_time, skipped={"bad.html"})
    assert again.faults == site.faults
    with pytest.raises(TookTooLongError), in_time(0), in_time(0):
        while True:
            pass
    with in_time(0):
        pass
    assert signal.getitimer(signal.ITIMER_REAL) == (0.0, 0.0)


def test_long_calls_are_shared_out(tmp_path: Path) -> None:
    """Two calls go to two workers: none waits behind another while one is idle."""
    with Workers() as some:
        places = [tmp_path / "first", tmp_path / "second"]

        def go_on() -> None:
            until(lambda: all(place.exists() for place in places))
            for place in places:
                place.unlink()

        threading.Thread(target=go_on, daemon=True).start()
        calls = [Call(n, note_and_wait, (str(place),), 30) for n, place in enumerate(places)]
        assert len({outcome.value for outcome in some.run(calls)}) == 2


def test_what_was_seen_once_is_not_looked_at_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The same content under another name, by the same code: the same look and thumbnail, without decoding it."""
    root, blobs = tmp_path / "site", Blobs(str(tmp_path / "blobs"))
    root.mkdir()
    (root / "a.jpg").write_bytes(encoded(photograph("coffee"), "JPEG"))
    first = inspect_file(str(root), "a.jpg", blobs.url)
    (root / "a.jpg").rename(root / "b.jpg")
    monkeypatch.setattr(inspecting, "pixels_to_judge", lambda *given: pytest.fail("it was decoded"))
    second = inspect_file(str(root), "b.jpg", blobs.url)
    assert first.file and second.file and first.file.look and second.file.look
    assert json.dumps(asdict(second.file.look)) == json.dumps(asdict(first.file.look))
    assert second.thumbnail == first.thumbnail is not None
    monkeypatch.undo()
    blobs.remove(first.thumbnail)
    assert inspect_file(str(root), "b.jpg", blobs.url).thumbnail == first.thumbnail
    assert blobs.has(first.thumbnail)
