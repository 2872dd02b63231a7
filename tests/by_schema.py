"""Values made up by a JSON schema: what it allows, at its bounds as often as not."""

from random import Random
from typing import Any

WORDS = (
    "white",
    "transparent",
    "square-2000",
    "cutout",
    "picture",
    "left",
    "draw",
    "{name}-{n:03}",
    "",
    "Ünï 'q' <b>",
    "z" * 5000,
    "a\0",
    "\ud800",
)


def made_up(schema: dict[str, Any], defs: dict[str, Any], r: Random, depth: int = 0) -> Any:
    """Something that the schema allows; `defs` holds by name what it refers to."""
    if "$ref" in schema:
        return made_up(defs[schema["$ref"].rpartition("/")[2]], defs, r, depth)
    if options := schema.get("anyOf") or schema.get("oneOf"):
        return made_up(r.choice(options), defs, r, depth)
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
            return [made_up(item, defs, r, depth + 1) for item in schema["prefixItems"]]
        case "array":
            least = schema.get("minItems", 0)
            count = r.randint(least, min(schema.get("maxItems", 9), least + 3))
            return [made_up(schema["items"], defs, r, depth + 1) for _ in range(count)]
        case "object":
            asked = schema.get("required", [])
            share = 0.5 if depth < 3 else 0.25
            own = schema.get("properties", {})
            return {name: made_up(one, defs, r, depth + 1) for name, one in own.items() if name in asked or r.random() < share}
    return None
