"""Test cards of one's own: list, add, forget."""

from typing import Any

from fastapi import APIRouter

from yardchalk.core.cards import Card
from yardchalk.studio import own_cards
from yardchalk.web.common import ERRORS, TheStudio
from yardchalk.web.models import ColourGiven, OwnCard, PictureGiven

router = APIRouter(prefix="/api/test-cards", responses=ERRORS)


@router.get("", response_model=list[OwnCard])
def get_cards(studio: TheStudio) -> Any:
    return own_cards.own_cards(studio)


@router.post("/colours", response_model=OwnCard, status_code=201)
def post_colour(studio: TheStudio, given: ColourGiven) -> Any:
    return OwnCard(card=own_cards.add_colour(studio, given.colour), name=given.colour)


@router.post("/pictures", response_model=OwnCard, status_code=201)
def post_picture(studio: TheStudio, given: PictureGiven) -> Any:
    """A picture that fills what it lies behind, cropped evenly."""
    return OwnCard(card=own_cards.add_picture(studio, given.picture, given.name), name=given.name)


@router.delete("/{card}", status_code=204)
def delete_card(studio: TheStudio, card: Card) -> None:
    own_cards.forget_card(studio, card)
