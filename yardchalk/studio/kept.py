"""Regions kept under a name, for use in other photos."""

from yardchalk.core.clear_settings import AnyRegion
from yardchalk.store import queries
from yardchalk.studio.context import Studio


def kept_regions(studio: Studio) -> list[queries.Row]:
    """All of them, by name."""
    with studio.transaction() as connection:
        return queries.kept_regions(connection)


def keep_region(studio: Studio, name: str, region: AnyRegion) -> None:
    """Keep a region; one of that name is replaced."""
    with studio.transaction() as connection:
        queries.keep_region(connection, name, region.model_dump(mode="json"))


def forget_region(studio: Studio, kept_id: int) -> None:
    with studio.transaction() as connection:
        queries.forget_region(connection, kept_id)
