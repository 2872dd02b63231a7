"""Test cards of one's own: a channel's colour, or a picture such as its page's ground, for all who look."""

import numpy as np

from yardchalk.core.codecs import encode_preview
from yardchalk.core.errors import YardError
from yardchalk.core.listing import held_picture
from yardchalk.store.queries import card_rows
from yardchalk.store.queries.rows import Row
from yardchalk.studio.context import Studio, announce

_MOST = 12  # cards; more are not told apart as swatches
_LONGEST = 2400  # px of a picture


def own_cards(studio: Studio) -> list[Row]:
    """All of them, the first made first, each with its name."""
    with studio.transaction() as connection:
        return card_rows.own_cards(connection)


def add_colour(studio: Studio, colour: str) -> str:
    """Keep a colour (#rrggbb) as a test card; which it is."""
    return _add(studio, colour.removeprefix("#"), colour)


def add_picture(studio: Studio, address: str, name: str) -> str:
    """Keep a picture, a data address, as a test card; which it is. What is see-through in it is laid on white."""
    picture = held_picture(address)
    shrunk = min(1.0, _LONGEST / max(picture.width, picture.height))
    small = picture.resized(max(1, round(picture.width * shrunk)), max(1, round(picture.height * shrunk)))
    pixels = small.pixels
    if small.alpha is not None:
        cover = small.alpha[..., None].astype(np.float32) / np.float32(255)
        pixels = np.rint(cover * pixels + (1 - cover) * 255)
    return _add(studio, studio.files.put(encode_preview(pixels.astype(np.uint8, copy=False))), name)


def _add(studio: Studio, card: str, name: str) -> str:
    with studio.transaction() as connection:
        if len(card_rows.own_cards(connection)) >= _MOST:
            raise YardError(f"There are {_MOST} test cards of your own already", remedy="Forget one that is no longer used")
        card_rows.add_card(connection, card, name.strip() or "A picture")
        announce(connection, None)
    return card


def forget_card(studio: Studio, card: str) -> None:
    with studio.transaction() as connection:
        card_rows.remove_card(connection, card)
        announce(connection, None)
