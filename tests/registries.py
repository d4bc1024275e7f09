"""Archives of published packages, fetched from the registries that pip and npm are set to use."""

from __future__ import annotations

import os
import re
import subprocess
import tarfile
import urllib.request
from pathlib import Path
from urllib.parse import urldefrag, urljoin

from pip._internal.configuration import Configuration
from pip._internal.models.index import PyPI


def _only_in_the_whole() -> None:
    """No test of every day waits for a registry."""
    assert "THISTLE_DAILY" not in os.environ, "a test of every day fetches from a registry; mark it `whole`"


def python_source(name: str, version: str, folder: Path) -> Path:
    """The source archive of a Python package, unbuilt (pip itself would run its set-up)."""
    _only_in_the_whole()
    settings = Configuration(isolated=False)
    settings.load()
    index = dict(settings.items()).get("global.index-url", PyPI.simple_url)
    page = f"{index.rstrip('/')}/{name.lower()}/"
    with urllib.request.urlopen(page, timeout=120) as listing:
        links = re.findall(r'href="([^"]+)"', listing.read().decode())
    wanted = re.compile(rf"/{re.escape(name)}-{re.escape(version)}\.tar\.gz$", re.IGNORECASE)
    address = next(a for link in links if wanted.search(a := urldefrag(urljoin(page, link)).url))
    target = folder / f"{name}-{version}.tar.gz"
    with urllib.request.urlopen(address, timeout=300) as archive:
        target.write_bytes(archive.read())
    return target


def npm_package(name: str, version: str, folder: Path) -> Path:
    """The archive of an npm package."""
    _only_in_the_whole()
    subprocess.run(["npm", "pack", "--silent", f"{name}@{version}"], cwd=folder, check=True, capture_output=True)
    return next(folder.glob(f"{name}-*.tgz"))


def member(archive: Path, name: str) -> bytes:
    """The content of the one file of an archive whose path ends so."""
    with tarfile.open(archive) as opened:
        found = next(m for m in opened.getmembers() if m.name.endswith(name))
        file = opened.extractfile(found)
        assert file is not None
        return file.read()


def members(archive: Path, pattern: str) -> list[bytes]:
    """The contents of all files of an archive whose paths match."""
    with tarfile.open(archive) as opened:
        wanted = [one for one in opened if one.isfile() and re.search(pattern, one.name)]
        return [file.read() for one in wanted if (file := opened.extractfile(one))]


def debian_package(name: str, folder: Path, *patterns: str) -> Path:
    """A folder with those files of a Debian package that match the patterns (`*` over `/` too)."""
    _only_in_the_whole()
    target = folder / name
    target.mkdir()
    download = ["apt-get", "download", "-qq", name]
    if subprocess.run(download, cwd=folder, capture_output=True, check=False).returncode:
        # A machine whose packages are all there may never have fetched Debian's lists.
        as_root = [] if os.geteuid() == 0 else ["sudo"]
        subprocess.run([*as_root, "apt-get", "update", "-qq"], check=True, capture_output=True)
        subprocess.run(download, cwd=folder, check=True, capture_output=True)
    package = next(folder.glob(f"{name}_*.deb"))
    unpacked = subprocess.Popen(["dpkg-deb", "--fsys-tarfile", str(package)], stdout=subprocess.PIPE)
    subprocess.run(
        ["tar", "-x", "--wildcards", "-C", str(target), *patterns],
        stdin=unpacked.stdout,
        check=True,
        capture_output=True,
    )
    unpacked.wait()
    package.unlink()
    return target
