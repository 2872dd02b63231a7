"""Where things are on this machine; handed to child processes through the environment."""

import os
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


@dataclass(frozen=True)
class Place:
    """Addresses of database, file store and deliveries."""

    database_url: str
    files_url: str
    deliveries: Path
    page: Path = ROOT / "page" / "dist"

    @classmethod
    def from_environment(cls) -> "Place":
        return cls(
            os.environ["YARD_DATABASE_URL"],
            os.environ["YARD_FILES_URL"],
            Path(os.environ["YARD_DELIVERIES"]),
            Path(os.environ.get("YARD_PAGE", str(ROOT / "page" / "dist"))),
        )

    def environment(self) -> dict[str, str]:
        return {
            "YARD_DATABASE_URL": self.database_url,
            "YARD_FILES_URL": self.files_url,
            "YARD_DELIVERIES": str(self.deliveries),
            "YARD_PAGE": str(self.page),
            # One core a process, and memory of dropped pictures given back at once.
            "VIPS_CONCURRENCY": "1",
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
            "PYTHONUNBUFFERED": "1",
        }
