"""The file store: content-addressed pictures behind fsspec, a local folder by default."""

import hashlib
import os
import uuid
from typing import Any

import fsspec

from yardchalk.core.errors import YardError


class FileStore:
    """Files by the SHA-256 of what they hold. The same content is kept once; nothing is ever changed in place.

    Parameters
    ----------
    url : str
        An fsspec address, such as file:///var/lib/yard.
    """

    def __init__(self, url: str) -> None:
        self.url = url.rstrip("/")
        self._fs: Any
        self._fs, self._root = fsspec.core.url_to_fs(self.url)

    def put(self, data: bytes) -> str:
        """Keep the bytes; returns their digest."""
        digest = hashlib.sha256(data).hexdigest()
        path = self._content(digest)
        if self._fs.exists(path) and self._fs.size(path) != len(data):
            self._fs.rm_file(path)  # damaged; what is put in now mends it
        self._write(path, data)
        return digest

    def get(self, digest: str) -> bytes:
        """The bytes of a digest.

        Raises
        ------
        FileNotFoundError
            Nothing is kept under it.
        YardError
            What is kept is not what was put in: the disk or somebody changed it.
        """
        data = bytes(self._fs.cat_file(self._content(digest)))
        if hashlib.sha256(data).hexdigest() != digest:
            raise YardError(
                "is damaged", where=f"The stored file {digest[:12]}…", remedy="Check the disk; add the photo again, or run it again"
            )
        return data

    def put_derived(self, key: str, data: bytes) -> None:
        """Keep something that can be computed again, under a key made by the application (letters, digits, - _ .)."""
        self._write(self._derived(key), data)

    def get_derived(self, key: str) -> bytes | None:
        try:
            return bytes(self._fs.cat_file(self._derived(key)))
        except FileNotFoundError:
            return None

    def _content(self, digest: str) -> str:
        if len(digest) != 64 or not all(c in "0123456789abcdef" for c in digest):
            raise ValueError("not a digest")
        return f"{self._root}/content/{digest[:2]}/{digest[2:4]}/{digest}"

    def _derived(self, key: str) -> str:
        name = hashlib.sha256(key.encode()).hexdigest()
        return f"{self._root}/derived/{name[:2]}/{name}"

    def _write(self, path: str, data: bytes) -> None:
        if self._fs.exists(path):
            return
        self._fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
        # Aside first: a worker that dies in the middle leaves no half file under the final name.
        aside = f"{path}.{os.getpid()}-{uuid.uuid4().hex[:8]}.part"
        with self._fs.open(aside, "wb") as file:
            file.write(data)
        self._fs.mv(aside, path)
