"""The web server process: `python -m yardchalk.web --port N`. Addresses come from the environment (see host.settings)."""

import argparse

import uvicorn

from yardchalk.host.settings import Place
from yardchalk.web.app import create_app


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int, required=True)
    options = parser.parse_args()
    uvicorn.run(
        create_app(Place.from_environment()),
        host="127.0.0.1",
        port=options.port,
        log_level="warning",
        # Open event streams would hold the server up for ever.
        timeout_graceful_shutdown=2,
        ws="none",
    )


if __name__ == "__main__":
    main()
