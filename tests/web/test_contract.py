"""Whatever the published schema lets through is answered, and not with a fault of the server's own."""

import json
from random import Random
from typing import Any
from urllib.parse import quote

from tests.by_schema import made_up
from tests.stand import small_photos
from tests.web.test_server import ServerCase
from yardchalk.host.settings import ROOT

API = json.loads((ROOT / "page" / "openapi.json").read_text())
DEFS = API["components"]["schemas"]
JSON = {"Content-Type": "application/json"}
ROUNDS = 6
# The one waits for ever by design; without photos, after the other, there is little to ask of.
LEFT_OUT = ("/api/events", "/api/lots/{lot_id}/remove")
# What is asked of what is not there says nothing, so that mostly what is there is asked.
NAMED = {"kind": ("sheets", "specs"), "ref": ("white", "cutout"), "delivery_id": (1, 2)}


class ContractTest(ServerCase):
    def test_no_request_that_fits_the_schema_is_the_servers_fault(self) -> None:
        r = Random(7)
        lot_id = self.filled(small_photos(2))
        self.work_here(lot_id)
        photos = [row["id"] for row in self.rows(lot_id)]
        named = NAMED | {"lot_id": (lot_id,), "photo_id": photos}
        good = set()
        for _ in range(ROUNDS):
            for path, operations in API["paths"].items():
                if path in LEFT_OUT:
                    continue
                # In the schema's own order, so that every run asks the same.
                for method, operation in operations.items():
                    address, query, body = self.request(path, operation, named, r)
                    answer = self.client.request(method, address, params=query, **body)
                    self.assertLess(answer.status_code, 500, f"{method} {address} {query} {str(body)[:2000]}")
                    if answer.is_success:
                        good.add((method, path))
        self.assertGreater(len(good), 40, "or else little was tried")
        # And no photo was brought to where nothing can be had of it.
        for photo_id in photos:
            own = self.client.get(f"/api/photos/{photo_id}").json()["marks"]
            answer = self.client.post(f"/api/photos/{photo_id}/edge", json=own)
            self.assertEqual(answer.status_code, 200, answer.text)

    def request(self, path: str, operation: dict[str, Any], named: dict[str, Any], r: Random) -> tuple[str, dict[str, Any], dict[str, Any]]:
        query = {}
        for parameter in operation.get("parameters", []):
            name = parameter["name"]
            given = r.choice(named[name]) if name in named else made_up(parameter["schema"], DEFS, r)
            if parameter["in"] == "path":
                path = path.replace(f"{{{name}}}", quote(str(given).encode(errors="replace") or "x", safe=""))
            elif given is not None and (parameter.get("required") or r.random() < 0.6):
                query[name] = given.encode(errors="replace") if isinstance(given, str) else given
        content = operation.get("requestBody", {}).get("content")
        if content is None:
            return path, query, {}
        if "application/json" in content:
            return path, query, {"content": json.dumps(made_up(content["application/json"]["schema"], DEFS, r)), "headers": JSON}
        return path, query, {"content": b"no photo"}
