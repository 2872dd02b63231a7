"""Made-up products with everything about them drawn at random: shape, material, how many, how they stand."""

from contextvars import ContextVar, copy_context

import numpy as np
from numpy.random import Generator
from numpy.typing import NDArray

from teaching import geometry as g
from teaching.studio import Material, Thing, bumped, dull, glass, glossy, metal, texture

_KINDS = "white", "pale", "vivid", "dark", "earth", "grey"
_USUAL, _MOSTLY_PALE = (0.26, 0.2, 0.2, 0.12, 0.14, 0.08), (0.5, 0.26, 0.08, 0.05, 0.06, 0.05)
_chances = ContextVar("of each kind of colour", default=_USUAL)


def _colour(r: Generator, kind: str | None = None) -> NDArray[np.float64]:
    match kind or str(r.choice(_KINDS, p=_chances.get())):
        case "white":
            out = np.array([0.84, 0.84, 0.83 + r.uniform(-0.08, 0.02)]) + r.normal(0, 0.015, 3)
        case "pale":
            out = np.array([0.7, 0.68, 0.64]) + r.normal(0, 0.07, 3)
        case "vivid":
            out = r.uniform(0.01, 0.2, 3)
            out[r.integers(3)] = r.uniform(0.4, 0.85)
            if r.random() < 0.5:
                out[r.integers(3)] = r.uniform(0.1, 0.8)
        case "dark":
            out = r.uniform(0.012, 0.06) * (1 + r.normal(0, 0.15, 3))
        case "grey":
            out = r.uniform(0.15, 0.5) + r.normal(0, 0.01, 3)
        case _:
            out = np.array([0.5, 0.3, 0.15]) * r.uniform(0.4, 1.4) + r.normal(0, 0.03, 3)
    return np.clip(out, 0.01, 0.92)


def _material(r: Generator, kind: str | None = None, plain: bool = False) -> Material:
    """What something is made of; `plain` without a texture."""
    colour, seed, which = _colour(r, kind), int(r.integers(9999)), r.random()
    if which < 0.12 and kind is None:
        return metal(str(r.choice(["Cr", "Cu", "Al", "Au"])), r.uniform(0.06, 0.3), r.uniform(0.75, 1, 3))
    if plain or which > 0.56:
        return glossy(colour, r.uniform(0.03, 0.4)) if r.random() < 0.6 else dull(colour)
    if which < 0.3:
        clay = texture(g.mix(colour * r.uniform(0.5, 0.9), colour * 1.2, 0.5 + 0.3 * g.noise(256, 256, r.uniform(1, 2.5), seed)))
        return dull(clay) if r.random() < 0.5 else bumped(dull(clay), g.noise(256, 256, 1.3, seed))
    if which < 0.42:
        return glossy(texture(g.wood(256, 512, colour * 1.2, colour * 0.5, seed, int(r.integers(5, 16)))), r.uniform(0.2, 0.45))
    if which < 0.5:
        return glossy(texture(g.speckle(512, 1024, colour, colour * 0.2, seed, r.uniform(0.005, 0.02))), r.uniform(0.1, 0.3))
    return glossy(texture(g.marble(256, 512, colour, colour * r.uniform(0.4, 0.8), seed)), r.uniform(0.05, 0.3))


def _tint(r: Generator) -> NDArray[np.float64]:
    return np.sqrt(r.uniform(0.15, 1, 3))


def vessel(r: Generator, height: float | None = None, kind: str | None = None, see_through: bool = False) -> Thing:
    """A jug, mug, pot, vase or bowl: turned, hollow, perhaps with handle, spout, rim, foot or lid."""
    out = Thing()
    h = height or r.uniform(4, 20)
    w = r.uniform(2.5, 9) if h < 10 else r.uniform(2.5, 6.5)
    body = glass(_tint(r)) if see_through else _material(r, kind)

    def part(same: float) -> Material:
        return body if r.random() < same else _material(r, plain=True)

    foot = w * r.uniform(0.5, 1.0)
    outside: list[tuple[float, ...]] = [(0, 0), (foot, 0, r.uniform(0.1, 0.6))]
    if r.random() < 0.4:
        outside += [(foot * 0.98, h * 0.03, 0.1), (foot * r.uniform(0.8, 1.05), h * 0.05, 0.2)]
    outside += [(w * r.uniform(0.45, 1.0), h * z, w * r.uniform(0.2, 0.6)) for z in np.sort(r.uniform(0.15, 0.9, int(r.integers(1, 4))))]
    outside.append((w * r.uniform(0.35, 0.95), h, 0.15))
    top, wall = outside[-1][0], r.uniform(0.15, 0.4)
    inside = [(max(p[0] - wall, 0.1), max(p[1], wall * 1.5), *p[2:]) for p in outside[:0:-1]]
    out.add(g.lathe(g.fillet([*outside, *inside[:-1], (0, max(inside[-1][1], 0.4))])), body)
    if r.random() < 0.35:
        out.add(g.torus(top - wall / 2, r.uniform(0.1, 0.3), h), part(0.4))
    if r.random() < 0.3:
        out.add(g.torus(foot, r.uniform(0.08, 0.25), 0.2), part(0))

    def radius(z: float) -> float:
        return float(np.interp(z, [p[1] for p in outside[1:]], [p[0] for p in outside[1:]]))

    if r.random() < 0.5:
        low, high, reach = h * r.uniform(0.15, 0.4), h * r.uniform(0.65, 0.95), r.uniform(0.5, 1.0) * min(w, h)
        far = max(radius(low), radius(high)) + reach
        ends = (radius(high) - 0.2, 0, high), (radius(low) - 0.2, 0, low - 0.02 * h)
        bow = [(radius(high) + reach * 0.6, 0, high + 0.05 * h), (far, 0, high - 0.1 * h), (far, 0, (low + high) / 2)]
        path = g.smooth([ends[0], *bow, (radius(low) + reach * 0.5, 0, low), ends[1]])
        out.add(g.tube(path, r.uniform(0.25, 0.75), 18, flat=r.uniform(0.5, 1)), part(0.6))
        if r.random() < 0.4:
            at = ((0.4, 0, 0.4), (0.5, 0.25, 0.5), (0.7, 0.6, 0.75), (0.9, 1.0, r.uniform(0.85, 1.0)))
            spout = g.smooth([(-radius(h * on) - off * reach, 0, h * up) for on, off, up in at], 60)
            out.add(g.tube(spout, [0.18 * w, 0.08 * w], 24), body)
    if r.random() < 0.35:
        brim, dome = top + r.uniform(0, 0.3), h + r.uniform(0.3, 1.4)
        lid = [(0, h - 0.3), (top, h, 0.05), (brim, h + 0.2, 0.1), (top * 0.7, dome, 0.5), (0.5, h + 1.5, 0.2), (0.4, h + 1.9, 0.2)]
        out.add(g.lathe(g.fillet([*lid, (0.8, h + 2.4, 0.3), (0, h + 2.7)], 10), 140), part(0.5))
    return out.placed(g.turned("z", r.uniform(0, 360)))


def jar(r: Generator) -> Thing:
    """A jar or bottle with a lid and, mostly, a printed label."""
    out = Thing()
    w, h = r.uniform(1.8, 4.5), r.uniform(5, 16)
    neck = w * r.uniform(0.3, 0.9)
    clear = r.random() < 0.35
    line = [(0, 0.1), (w * 0.9, 0, 0.3), (w, 0.4, 0.4), (w, h * 0.75, w * 0.4), (neck, h * 0.92, 0.3), (neck, h)]
    if clear:
        line += [(neck - 0.2, h), (neck - 0.2, h * 0.92, 0.3), (w - 0.3, h * 0.72, w * 0.4), (w - 0.3, 0.9, 0.5), (0, 0.8)]
    out.add(g.lathe(g.fillet(line), 160), glass(_tint(r)) if clear else _material(r))
    lid = [(neck * 0.8, h * 0.97), (neck + 0.3, h * 0.97, 0.05), (neck + 0.32, h + r.uniform(0.8, 2.2), 0.2), (0, h + r.uniform(2.2, 2.4))]
    out.add(g.lathe(g.fillet(lid, 14), 240, int(r.integers(20, 50)) if r.random() < 0.5 else 0), _material(r, plain=True))
    if r.random() < 0.75:
        out.add(*_label(r, w + 0.02, h))
    return out.placed(g.turned("z", r.uniform(-40, 40)))


def _label(r: Generator, radius: float, h: float) -> tuple[g.Mesh, Material]:
    half, low, high = r.uniform(0.7, 2.2), h * r.uniform(0.08, 0.25), h * r.uniform(0.45, 0.7)
    turn, z = (values.ravel() for values in np.meshgrid(np.linspace(-half, half, 80), np.linspace(low, high, 6)))
    facing = np.c_[np.sin(turn), -np.cos(turn), 0 * turn]
    points = facing * radius + np.c_[0 * z, 0 * z, z]
    places = np.c_[(turn + half) / (2 * half), 1 - (z - low) / (high - low)]
    print_ = np.full((256, 384, 3), r.uniform(0.75, 0.88), np.float32)
    for _ in range(int(r.integers(2, 8))):
        y, x = r.integers(10, 220), r.integers(10, 200)
        print_[y : y + r.integers(6, 36), x : x + r.integers(30, 180)] = _colour(r)
    return g.Mesh(points, g.grid_faces(6, 80), facing, places), dull(texture(print_))


def bowls(r: Generator) -> Thing:
    """A stack of bowls or plates."""
    out, z = Thing(), 0.0
    v, b = r.uniform(4, 8), r.uniform(1.5, 4)
    foot = [(0, 0.3), (v * 0.4, 0.3, 0.05), (v * 0.42, 0, 0.1), (v * 0.5, 0, 0.1), (v * 0.5, 0.5, 0.3)]
    rim = [(v * 0.93, b, 2), (v, b * 1.7, 0.3), (v - 0.3, b * 1.72, 0.15)]
    line = g.fillet([*foot, *rim, (v * 0.88, b * 1.1, 2), (v * 0.45, 1.2, 1), (0, 1.1)], 14)
    for i in range(int(r.integers(1, 4))):
        out.with_(Thing().add(g.lathe(line * 0.93**i, 200), _material(r)).placed(move=(0.15 * i, 0, z)))
        z += b * 0.7
    return out


def block(r: Generator) -> Thing:
    """Things with edges: boxes on each other."""
    out, z = Thing(), 0.0
    w, d = r.uniform(2, 8), r.uniform(2, 6)
    for _ in range(int(r.integers(1, 4))):
        h = r.uniform(0.5, 5)
        plate = g.slab(g.superellipse(w, d, r.uniform(4, 14), 200), [], h, min(0.3, 0.2 * h), 5)
        out.with_(Thing().add(plate, _material(r)).placed(move=(0, 0, z)))
        z, w, d = z + h, w * r.uniform(0.7, 1.0), d * r.uniform(0.7, 1.0)
    return out.placed(g.turned("z", r.uniform(0, 90)))


def board(r: Generator) -> Thing:
    """A board, tile, coaster or tray, perhaps with holes."""
    a, b = r.uniform(6, 17), r.uniform(4, 12)
    holes = []
    for _ in range(int(r.integers(0, 3))):
        q = r.uniform(0.6, 1.8)
        hole = g.superellipse(q, q * r.uniform(0.6, 1.2), r.uniform(2, 4), 80)
        holes.append(hole + np.array([r.uniform(-0.7, 0.7) * a, r.uniform(-0.5, 0.5) * b]))
    if len(holes) == 2 and np.linalg.norm(holes[0].mean(0) - holes[1].mean(0)) < 5:
        holes.pop()
    h = r.uniform(0.3, 2.2)
    plate = g.slab(g.superellipse(a, b, r.uniform(2, 7), 300), holes, h, min(0.4, 0.3 * h))
    return Thing().add(plate, _material(r)).placed(g.turned("z", r.uniform(0, 90)))


def spoons(r: Generator) -> Thing:
    """One to three spoons, spatulas or ladles: a head on a stick."""
    out = Thing()
    for i in range(int(r.integers(1, 4))):
        out.with_(_spoon(r).placed(move=(5.5 * i, r.normal(0, 0.6), 0)))
    return out


def _spoon(r: Generator) -> Thing:
    turn = np.linspace(0, 2 * np.pi, 48, endpoint=False)
    c, s = np.cos(turn), np.sin(turn)
    length, wide, thick, round_ = r.uniform(5, 10), r.uniform(1.2, 3.5), r.uniform(0.2, 0.6), r.uniform(0.5, 1.0)
    rings = []
    for k in np.linspace(0, 1, 90):
        w = wide * np.interp(k, [0, 0.1, 0.3, 0.6, 0.92, 0.98, 1], [0.2, 0.3, 0.8, 1, 0.9, 0.7, 0.02]) if k else 0.02
        t = thick * np.interp(k, [0, 0.1, 0.5, 0.96, 1], [1, 1, 0.8, 0.4, 0.08]) if k else 0.02
        bent = t * np.sign(s) * np.abs(s) ** round_ - 0.5 * np.sin(np.pi * k)
        rings.append(np.c_[np.full(48, 16 + length * k), w * np.sign(c) * np.abs(c) ** round_, bent])
    stick = g.tube(
        np.linspace([0, 0, 0], [16.6, 0, 0], 50), np.interp(np.linspace(0, 1, 50), [0, 0.1, 0.5, 1], r.uniform(0.35, 0.8, 4)), 22
    )
    out = Thing().add(g.loft(rings), _material(r, plain=True)).add(stick, _material(r))
    return out.placed(g.turned("z", r.uniform(20, 100))).on_the_ground()


def wires(r: Generator) -> Thing:
    """A rack of wires, or a whisk."""
    shine = metal(str(r.choice(["Cr", "Al", "Cu"])), r.uniform(0.08, 0.2), 1.0) if r.random() < 0.7 else glossy(_colour(r), 0.1)
    return _whisk(r, shine) if r.random() < 0.35 else _rack(r, shine)


def _whisk(r: Generator, shine: Material) -> Thing:
    out = Thing()
    loops, length, wide, t = int(r.integers(5, 11)), r.uniform(7, 11), r.uniform(2, 4), np.linspace(0, 1, 120)
    x, y = 12 + length * np.sin(np.pi * t) ** 0.7, wide * np.sin(2 * np.pi * t) * np.sin(np.pi * t) ** 0.3
    for turn in np.arange(loops) * np.pi / loops:
        out.add(g.tube(np.c_[x, y * np.cos(turn), y * np.sin(turn)], r.uniform(0.05, 0.11), 10), shine)
    out.add(g.tube(np.linspace([0, 0, 0], [12.5, 0, 0], 40), r.uniform(0.5, 0.9), 22), _material(r))
    return out.placed(g.turned("z", r.uniform(0, 90))).on_the_ground()


def _rack(r: Generator, shine: Material) -> Thing:
    out = Thing()
    w, h, z = r.uniform(8, 17), r.uniform(6, 12), r.uniform(0.6, 2.6)
    rim = g.superellipse(w, h, r.uniform(4, 10), 400)
    out.add(g.tube(np.c_[rim, np.full(len(rim), z)], r.uniform(0.15, 0.35), 16, closed=True), shine)
    for x in np.linspace(-w + 1, w - 1, int(r.integers(6, 24))):
        out.add(g.tube(np.linspace([x, -h + 0.05, z + 0.1], [x, h - 0.05, z + 0.1], 16), r.uniform(0.08, 0.16), 10), shine)
    for y in np.linspace(-h * 0.6, h * 0.6, int(r.integers(1, 8))):
        out.add(g.tube(np.linspace([-w + 0.05, y, z - 0.1], [w - 0.05, y, z - 0.1], 16), r.uniform(0.08, 0.16), 10), shine)
    for x, y in ((-1, -1), (-1, 1), (1, -1), (1, 1)):
        leg = np.linspace([x * (w - 2), y * (h - 0.5), z], [x * (w - 1.6), y * (h - 0.3), 0.1], 12)
        out.add(g.tube(leg, 0.18, 12), shine)
    return out.placed(g.turned("z", r.uniform(0, 60)))


def brush(r: Generator) -> Thing:
    """Bristles on a wire or a handle."""
    length = r.uniform(22, 34)
    out = Thing().add(g.tube(np.linspace([0, 0, 0], [length, 0, 0], 40), r.uniform(0.13, 0.5), 16), _material(r))
    reach, start, radius, along = r.uniform(1.2, 2.8), length * r.uniform(0.5, 0.7), r.uniform(0.014, 0.03), np.linspace(0, 1, 5)[:, None]
    bristles = []
    for _ in range(int(r.integers(2500, 6000))):
        turn = r.uniform(0, 2 * np.pi)
        out_of = np.array([r.normal(0, 0.1), np.cos(turn), np.sin(turn)])
        out_of *= reach * r.uniform(0.9, 1.05) / np.linalg.norm(out_of)
        line = np.array([r.uniform(start, length), 0, 0]) + out_of * (0.04 + along) + r.normal(0, 0.12, 3) * along**2
        bristles.append(np.c_[line, np.full(5, radius)])
    out.bundles.append((bristles, glossy(_colour(r), 0.2)))
    return out.placed(g.turned("z", r.uniform(0, 90))).on_the_ground()


def ring(r: Generator) -> Thing:
    """A loop of cord or tube: trivet, rope, strainer's rim."""
    turn = np.linspace(0, 2 * np.pi, 240, endpoint=False)
    radius = r.uniform(3, 8) * (1 + r.uniform(0, 0.25) * np.cos(int(r.integers(2, 7)) * turn))
    thick = r.uniform(0.2, 1.2)
    loop = np.c_[radius * np.cos(turn), radius * np.sin(turn), thick + 0 * turn]
    out = Thing().add(g.tube(loop, thick, 24, closed=True), _material(r))
    if r.random() < 0.5:
        for y in r.uniform(-2, 2, int(r.integers(1, 5))):
            out.add(g.tube(np.linspace([-3, y, thick], [3, y, thick], 10), r.uniform(0.1, 0.5), 14), _material(r, plain=True))
    return out


def pierced(r: Generator) -> Thing:
    """A thin sheet with clean cut holes, few or many: a mat, a drainer, a stencil."""
    a, b, power = r.uniform(6, 16), r.uniform(5, 12), r.uniform(2, 7)
    size = r.uniform(0.25, 3)
    wide, cornered = size * r.uniform(1, 3), r.uniform(2, 8)
    shape = g.superellipse(wide, size, cornered, 80) @ g.turned("z", float(r.choice([0, 90, r.uniform(0, 180)])))[:2, :2]
    apart = 2 * wide + r.uniform(0.2, 2.5)
    if r.random() < 0.5:
        rows, columns = (np.arange(-int(reach / apart), int(reach / apart) + 1) * apart for reach in (b, a))
        middles = np.stack(np.meshgrid(columns, rows), -1).reshape(-1, 2)
    else:
        middles = np.zeros((0, 2))
        for _ in range(int(r.integers(1, 9))):
            at = np.array([r.uniform(-a, a), r.uniform(-b, b)])
            if not len(middles) or np.linalg.norm(middles - at, axis=1).min() > apart:
                middles = np.vstack([middles, at])
    inner = np.array([a, b]) - 0.6
    holes = [hole for hole in middles[:, None] + shape if (np.abs(hole / inner) ** power).sum(1).max() < 1]
    h = np.exp(r.uniform(*np.log((0.06, 0.9))))
    sheet = g.slab(g.superellipse(a, b, power, 300), holes, h, 0.25 * h, 4)
    return Thing().add(sheet, _material(r)).placed(g.turned("z", r.uniform(0, 90)))


def products(r: Generator, pale: bool = False) -> tuple[Thing, bool]:
    """One picture's products, most of them white or `pale` if that is asked for; and whether they are things to be seen from above."""
    drawn = copy_context()
    drawn.run(_chances.set, _MOSTLY_PALE if pale else _USUAL)
    return drawn.run(_products, r)


def _products(r: Generator) -> tuple[Thing, bool]:
    match str(r.choice(["vessel", "jars", "bowls", "block", "flat", "two"], p=[0.29, 0.18, 0.07, 0.06, 0.33, 0.07])):
        case "vessel":
            return vessel(r, kind="white" if r.random() < 0.35 else None, see_through=r.random() < 0.06), False
        case "jars":
            out, count = Thing(), int(r.integers(1, 4))
            for i in range(count):
                out.with_(jar(r).placed(move=((i - (count - 1) / 2) * r.uniform(6.5, 9.5), r.normal(0, 0.6), 0)))
            return out, False
        case "bowls":
            return bowls(r), False
        case "block":
            return block(r), False
        case "flat":
            lying = (board, spoons, wires, brush, ring)
            return lying[int(r.choice(5, p=[0.2, 0.22, 0.28, 0.18, 0.12]))](r), True
        case _:
            other = (block, ring)[int(r.integers(2))](r)
            return vessel(r, height=r.uniform(4, 8)).with_(other.placed(move=(r.uniform(9, 14), r.normal(0, 1), 0))), False


def table(r: Generator) -> Thing:
    """What lies beyond the paper: a table, a wall, perhaps the pole of a stand."""
    faces = np.array([[0, 1, 2], [0, 2, 3]])
    wood = r.uniform(0.02, 0.3) * np.array([1, 0.6, 0.35]) if r.random() < 0.7 else np.full(3, r.uniform(0.02, 0.5))
    floor = np.array([[-300, -260, -0.12], [300, -260, -0.12], [300, 95, -0.12], [-300, 95, -0.12]], float)
    planks = dull(texture(g.wood(512, 1024, wood, wood * 0.5, int(r.integers(9999)), 8)))
    out = Thing().add(g.Mesh(floor, faces, np.tile([0, 0, 1.0], (4, 1)), floor[:, :2] / 60), planks)
    wall = np.array([[-300, 95, -80], [300, 95, -80], [300, 95, 300], [-300, 95, 300]], float)
    out.add(g.Mesh(wall, faces, np.tile([0, -1.0, 0], (4, 1)), wall[:, [0, 2]] / 60), dull(r.uniform(0.03, 0.6)))
    if r.random() < 0.4:
        x = r.choice([-1, 1]) * r.uniform(18, 26)
        out.add(g.tube(np.linspace([x, 30, -0.1], [x, 30, 120], 12), r.uniform(0.6, 1.5), 24), glossy(0.015, 0.2))
    return out
