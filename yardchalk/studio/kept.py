"""Regions kept under a name, for use in other photos."""

from yardchalk.core.clear_settings import AnyRegion
from yardchalk.store.queries import shelf_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio


def kept_regions(studio: Studio) -> list[Row]:
    """All of them, by name."""
    with studio.transaction() as connection:
        return shelf_rows.kept_regions(connection)


def keep_region(studio: Studio, name: str, region: AnyRegion) -> None:
    """Keep a region; one of that name is replaced."""
    with studio.transaction() as connection:
        shelf_rows.keep_region(connection, name, region.model_dump(mode="json"))


def forget_region(studio: Studio, kept_id: int) -> None:
    with studio.transaction() as connection:
        shelf_rows.forget_region(connection, kept_id)
