"""The web server: FastAPI routers, tiles, live events, and the page."""
