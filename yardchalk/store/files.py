"""The file store: content-addressed pictures behind fsspec, a local folder by default."""

import contextlib
import hashlib
import os
import time
import uuid
from typing import Any

import fsspec
from fsspec.implementations.local import LocalFileSystem

from yardchalk.core.errors import YardError


def _written_at(entry: dict[str, Any]) -> float:
    """Seconds since the epoch; of a folder's file, or of an object in a store."""
    when = entry.get("mtime", entry.get("LastModified", 0.0))
    return float(when.timestamp()) if hasattr(when, "timestamp") else float(when)


class FileStore:
    """Files by the SHA-256 of what they hold. The same content is kept once; nothing is ever changed in place.

    Parameters
    ----------
    url : str
        An fsspec address, such as file:///var/lib/yard or s3://bucket/yard; what else a store needs, such as keys, comes from fsspec's
        own environment variables or configuration file.
    """

    def __init__(self, url: str) -> None:
        self.url = url.rstrip("/")
        self._fs: Any
        self._fs, self._root = fsspec.core.url_to_fs(self.url)

    def put(self, data: bytes) -> str:
        """Keep the bytes; returns their digest.

        Raises
        ------
        YardError
            There is no room, or no leave to write.
        """
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

    def old_content(self, older_s: float) -> set[str]:
        """Digests of all that was put in more than so many seconds ago."""
        return {name for name in self._older("content", older_s) if len(name) == 64}

    def remove(self, digest: str) -> None:
        """Remove content that nothing names."""
        with contextlib.suppress(FileNotFoundError):
            self._fs.rm_file(self._content(digest))

    def remove_parts(self, older_s: float) -> int:
        """Remove half files that a process which died left behind; how many."""
        parts = [path for kind in ("content", "derived") for path in self._older(kind, older_s).values() if path.endswith(".part")]
        for path in parts:
            with contextlib.suppress(FileNotFoundError):
                self._fs.rm_file(path)
        return len(parts)

    def _older(self, kind: str, older_s: float) -> dict[str, str]:
        """Name to path of the files older than that."""
        self._fs.invalidate_cache()
        try:
            entries = self._fs.find(f"{self._root}/{kind}", detail=True)
        except FileNotFoundError:
            return {}
        until = time.time() - older_s
        return {path.rsplit("/", 1)[1]: path for path, entry in entries.items() if _written_at(entry) <= until}

    def _write(self, path: str, data: bytes) -> None:
        if self._fs.exists(path):
            return
        if not isinstance(self._fs, LocalFileSystem):
            # An object store shows an object when it is whole.
            self._fs.pipe_file(path, data)
            return
        # Aside first: a worker that dies in the middle leaves no half file under the final name.
        aside = f"{path}.{os.getpid()}-{uuid.uuid4().hex[:8]}.part"
        try:
            self._fs.makedirs(path.rsplit("/", 1)[0], exist_ok=True)
            with self._fs.open(aside, "wb") as file:
                file.write(data)
            self._fs.mv(aside, path)
        except OSError as error:
            with contextlib.suppress(OSError):
                self._fs.rm_file(aside)
            raise YardError(
                f"cannot be written ({error.strerror})", where="The file store", remedy="Make room on its disk, then try again"
            ) from None
