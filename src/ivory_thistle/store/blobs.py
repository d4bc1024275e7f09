"""The blob store: contents by their SHA-256, written under a temporary name and renamed."""

from __future__ import annotations

import uuid
from hashlib import sha256

import fsspec


class Blobs:
    """Content-addressed files at an fsspec URL (a plain folder by default). Safe for many writers."""

    def __init__(self, url: str) -> None:
        self.url = url
        self._fs, self._root = fsspec.core.url_to_fs(url)
        self._fs.makedirs(self._root, exist_ok=True)

    def _path(self, digest: str) -> str:
        return f"{self._root}/{digest[:2]}/{digest[2:4]}/{digest}"

    def put(self, data: bytes, digest: str | None = None) -> str:
        """Keeps a content and returns its SHA-256 (given as `digest` where it is known already)."""
        digest = digest or sha256(data).hexdigest()
        path = self._path(digest)
        if self._fs.exists(path):
            return digest
        folder = path.rsplit("/", 1)[0]
        self._fs.makedirs(folder, exist_ok=True)
        temporary = f"{folder}/.{uuid.uuid4().hex}"
        with self._fs.open(temporary, "wb") as file:
            file.write(data)
        self._fs.mv(temporary, path)
        return digest

    def get(self, digest: str) -> bytes:
        """A content. Raises FileNotFoundError."""
        return bytes(self._fs.cat_file(self._path(digest)))

    def has(self, digest: str) -> bool:
        """True where the content is kept."""
        return bool(self._fs.exists(self._path(digest)))

    def put_file(self, local: str, digest: str) -> None:
        """Keeps a local file whose SHA-256 is known, without reading it into memory."""
        path = self._path(digest)
        if not self._fs.exists(path):
            folder = path.rsplit("/", 1)[0]
            self._fs.makedirs(folder, exist_ok=True)
            temporary = f"{folder}/.{uuid.uuid4().hex}"
            self._fs.put_file(local, temporary)
            self._fs.mv(temporary, path)
