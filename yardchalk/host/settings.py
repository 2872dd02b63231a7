"""Where things are on this machine; handed to child processes through the environment."""

import os
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


@dataclass(frozen=True)
class Place:
    """Addresses of database, file store and deliveries, of the watched folder and the stand-ins if there are any, what a worker
    of this machine takes on, and whether render processes read in what the bench needs before somebody asks.
    """

    database_url: str
    files_url: str
    deliveries: Path
    page: Path = ROOT / "page" / "dist"
    inbox: Path | None = None
    desk_url: str = ""
    capture_url: str = ""
    queues: tuple[str, ...] = ("run", "home")
    warm: bool = True

    @classmethod
    def from_environment(cls) -> "Place":
        return cls(
            os.environ["YARD_DATABASE_URL"],
            os.environ["YARD_FILES_URL"],
            Path(os.environ["YARD_DELIVERIES"]),
            Path(os.environ.get("YARD_PAGE", str(ROOT / "page" / "dist"))),
            Path(os.environ["YARD_INBOX"]) if os.environ.get("YARD_INBOX") else None,
            os.environ.get("YARD_DESK_URL", ""),
            os.environ.get("YARD_CAPTURE_URL", ""),
            tuple(os.environ.get("YARD_QUEUES", "run,home").split(",")),
            os.environ.get("YARD_WARM", "1") == "1",
        )

    def environment(self) -> dict[str, str]:
        return {
            "YARD_DATABASE_URL": self.database_url,
            "YARD_FILES_URL": self.files_url,
            "YARD_DELIVERIES": str(self.deliveries),
            "YARD_PAGE": str(self.page),
            "YARD_INBOX": str(self.inbox or ""),
            "YARD_DESK_URL": self.desk_url,
            "YARD_CAPTURE_URL": self.capture_url,
            "YARD_QUEUES": ",".join(self.queues),
            "YARD_WARM": "1" if self.warm else "0",
            # One core a process, and memory of dropped pictures given back at once.
            "VIPS_CONCURRENCY": "1",
            "OMP_NUM_THREADS": "1",
            "OPENBLAS_NUM_THREADS": "1",
            "PYTHONUNBUFFERED": "1",
        }
