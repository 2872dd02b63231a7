"""What every request has to pass: the right host, and for a write the right origin."""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_HOSTS = frozenset({"127.0.0.1", "localhost"})
_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; font-src 'self' data:; "
        "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}


class Guard:
    """ASGI middleware for a server on loopback.

    A page elsewhere on the web can make a browser send requests here. It cannot choose their Host (which stops names
    that were pointed at loopback) nor hide its Origin (which stops its writes).
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        reason = _refusal(headers, scope["method"])
        if reason is not None:
            await JSONResponse({"message": reason}, 403)(scope, receive, send)
            return

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                out = MutableHeaders(scope=message)
                for name, value in _HEADERS.items():
                    out.setdefault(name, value)
            await send(message)

        await self.app(scope, receive, guarded)


def _refusal(headers: Headers, method: str) -> str | None:
    host = headers.get("host", "")
    if urlsplit(f"//{host}").hostname not in _HOSTS:
        return "This server answers on loopback only. Open it at its 127.0.0.1 address."
    if method not in ("GET", "HEAD", "OPTIONS"):
        origin = headers.get("origin")
        elsewhere = origin is not None and urlsplit(origin).netloc != host
        if elsewhere or headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
            return "A write from another site was refused."
    return None
