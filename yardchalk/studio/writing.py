"""Write result files: aside first, read again, and never over an existing file."""

import os
import tempfile
from pathlib import Path

from yardchalk.core.errors import YardError


def write_new(folder: Path, stem: str, suffix: str, data: bytes) -> Path:
    """Write a file under a name that is not taken, and return its path.

    It is written aside and flushed, read back and compared, and only then linked into place; so there is never a half
    file under the final name, and an existing file is never replaced: STEM-2, STEM-3 … are taken instead.

    Raises
    ------
    YardError
        The folder cannot be written, or what was read back differs.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handle, aside = tempfile.mkstemp(prefix=".yard-", suffix=".part", dir=folder)
    except OSError as error:
        raise YardError(f"cannot be written ({error.strerror})", where=str(folder), remedy="Choose another folder, or make room") from None
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if Path(aside).read_bytes() != data:
            raise YardError("reads back different from what was written", where=stem + suffix, remedy="Check the disk")
        os.chmod(aside, 0o644)
        for number in range(1, 10_000):
            path = folder / (f"{stem}{suffix}" if number == 1 else f"{stem}-{number}{suffix}")
            try:
                os.link(aside, path)
            except FileExistsError:
                continue
            return path
        raise YardError("has too many files of this name", where=str(folder), remedy="Choose another folder")
    except OSError as error:
        raise YardError(f"cannot be written ({error.strerror})", where=stem + suffix, remedy="Make room and try again") from None
    finally:
        Path(aside).unlink(missing_ok=True)
