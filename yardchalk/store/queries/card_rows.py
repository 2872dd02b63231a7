"""Test cards of one's own."""

from psycopg import Connection

from yardchalk.store.queries.rows import Row, every


def own_cards(connection: Connection[Row]) -> list[Row]:
    """All of them, the first made first."""
    return every(connection, "SELECT card, name FROM own_cards ORDER BY made_at, card")


def add_card(connection: Connection[Row], card: str, name: str) -> None:
    connection.execute("INSERT INTO own_cards (card, name) VALUES (%s, %s) ON CONFLICT DO NOTHING", (card, name))


def remove_card(connection: Connection[Row], card: str) -> None:
    connection.execute("DELETE FROM own_cards WHERE card = %s", (card,))
