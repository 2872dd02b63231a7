"""Whatever the published schema lets through is answered, and not with a fault of the server's own."""

import json
from random import Random
from typing import Any
from urllib.parse import quote

from tests.stand import small_photos
from tests.web.test_server import ServerCase
from yardchalk.host.settings import ROOT

API = json.loads((ROOT / "page" / "openapi.json").read_text())
ROUNDS = 6
# The one waits for ever by design; without photos, after the other, there is little to ask of.
LEFT_OUT = ("/api/events", "/api/lots/{lot_id}/remove")
WORDS = ("white", "transparent", "square-2000", "cutout", "picture", "left", "draw", "{name}-{n:03}", "", "Ünï 'q' <b>", "z" * 5000)
# What is asked of what is not there says nothing, so that mostly what is there is asked.
NAMED = {"kind": ("sheets", "specs"), "ref": ("white", "cutout"), "delivery_id": (1, 2)}


def value(schema: dict[str, Any], r: Random, depth: int = 0) -> Any:
    """Something that the schema allows, at its bounds as often as not."""
    if "$ref" in schema:
        return value(API["components"]["schemas"][schema["$ref"].rpartition("/")[2]], r, depth)
    if options := schema.get("anyOf") or schema.get("oneOf"):
        return value(r.choice(options), r, depth)
    if "const" in schema or "enum" in schema:
        return r.choice(schema.get("enum") or [schema["const"]])
    match schema.get("type"):
        case "boolean":
            return r.random() < 0.5
        case "integer" | "number":
            least = schema.get("minimum", schema.get("exclusiveMinimum", -3))
            most = schema.get("maximum", schema.get("exclusiveMaximum", max(least + 1, 3)))
            given = r.choice((least, most, r.uniform(least, most), least + (most - least) * r.random() ** 4))
            return round(given) if schema["type"] == "integer" else given
        case "string" if schema.get("pattern", "").startswith("^#"):
            return f"#{r.randrange(1 << 24):06x}"
        case "string":
            return r.choice(WORDS)
        case "array" if "prefixItems" in schema:
            return [value(item, r, depth + 1) for item in schema["prefixItems"]]
        case "array":
            least = schema.get("minItems", 0)
            return [value(schema["items"], r, depth + 1) for _ in range(r.randint(least, min(schema.get("maxItems", 9), least + 3)))]
        case "object":
            asked = schema.get("required", [])
            share = 0.5 if depth < 3 else 0.25
            return {k: value(v, r, depth + 1) for k, v in schema.get("properties", {}).items() if k in asked or r.random() < share}
    return None


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
            given = r.choice(named[name]) if name in named else value(parameter["schema"], r)
            if parameter["in"] == "path":
                path = path.replace(f"{{{name}}}", quote(str(given) or "x", safe=""))
            elif given is not None and (parameter.get("required") or r.random() < 0.6):
                query[name] = given
        content = operation.get("requestBody", {}).get("content")
        if content is None:
            return path, query, {}
        if "application/json" in content:
            return path, query, {"json": value(content["application/json"]["schema"], r)}
        return path, query, {"content": b"no photo"}
