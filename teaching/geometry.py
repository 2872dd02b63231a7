"""Meshes, curves and textures of made-up things. Lengths in cm, z up; a mesh is points, faces, normals and texture places."""

from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

Points = NDArray[np.float64]


class Mesh(NamedTuple):
    """points, normals : float64, shape (n, 3); faces : int, shape (m, 3); places : float64, shape (n, 2), 0..1 on the texture."""

    points: Points
    faces: NDArray[np.int64]
    normals: Points
    places: Points


def fillet(corners: list[tuple[float, ...]], steps: int = 12) -> Points:
    """A line (r, z) through corners (r, z[, radius]), rounded there."""
    at = [np.array(corner[:2], float) for corner in corners]
    out = [at[0]]
    for i in range(1, len(at) - 1):
        before, here, after = at[i - 1], at[i], at[i + 1]
        in_length, out_length = float(np.linalg.norm(before - here)), float(np.linalg.norm(after - here))
        asked = corners[i][2] if len(corners[i]) > 2 else 0.0
        d = min(asked, 0.49 * in_length, 0.49 * out_length)
        if d <= 1e-6:
            d = min(0.01, 0.2 * in_length, 0.2 * out_length)
        start, end = here + (before - here) / in_length * d, here + (after - here) / out_length * d
        out += [(1 - t) ** 2 * start + 2 * t * (1 - t) * here + t * t * end for t in np.linspace(0, 1, steps)]
    return np.array([*out, at[-1]])


def smooth(through: list[tuple[float, ...]], count: int = 80) -> Points:
    """A Catmull-Rom spline through points of any dimension."""
    p = np.array(through, float)
    p = np.vstack([2 * p[0] - p[1], p, 2 * p[-1] - p[-2]])
    pieces = len(p) - 3
    out = []
    for i in range(pieces):
        a, b, c, d = p[i : i + 4]
        for t in np.linspace(0, 1, max(2, count // pieces), endpoint=False):
            out.append(0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t * t + (3 * b - a - 3 * c + d) * t**3))
    return np.array([*out, p[-2]])


def normals_of(points: Points, faces: NDArray[np.int64]) -> Points:
    across = np.cross(points[faces[:, 1]] - points[faces[:, 0]], points[faces[:, 2]] - points[faces[:, 0]])
    out = np.zeros_like(points)
    for k in range(3):
        np.add.at(out, faces[:, k], across)
    return out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12)


def grid_faces(rows: int, columns: int) -> NDArray[np.int64]:
    i, j = (index.ravel() for index in np.meshgrid(np.arange(rows - 1), np.arange(columns - 1), indexing="ij"))
    p, q, r, s = i * columns + j, (i + 1) * columns + j, (i + 1) * columns + j + 1, i * columns + j + 1
    return np.vstack([np.stack([p, q, r], 1), np.stack([p, r, s], 1)])


def _places(rows: ArrayLike, columns: ArrayLike) -> Points:
    return np.stack(np.meshgrid(np.asarray(rows), np.asarray(columns), indexing="ij"), -1).reshape(-1, 2)


def lathe(profile: Points, steps: int = 180, ripples: int = 0) -> Mesh:
    """A profile (r, z), outside from the bottom up and inside down again, turned round the z axis; with ripples if asked for."""
    turn = np.linspace(0, 2 * np.pi, steps + 1)
    radius = profile[:, :1] * (1 + (0.012 * np.cos(ripples * turn) if ripples else 0 * turn))
    points = np.stack([radius * np.cos(turn), radius * np.sin(turn), np.repeat(profile[:, 1:], steps + 1, 1)], -1).reshape(-1, 3)
    faces = grid_faces(len(profile), steps + 1)[:, ::-1]
    if ripples:
        normals = normals_of(points, faces)
    else:
        along = np.gradient(profile, axis=0)
        along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-9)
        out, up = along[:, 1:], -along[:, :1]
        normals = np.stack([out * np.cos(turn), out * np.sin(turn), np.repeat(up, steps + 1, 1)], -1).reshape(-1, 3)
    length = np.r_[0, np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))]
    places = _places(length / max(length[-1], 1e-9), turn / (2 * np.pi))[:, ::-1]
    return Mesh(points, faces, normals, places)


def tube(path: ArrayLike, radius: ArrayLike, steps: int = 20, closed: bool = False, flat: float = 1.0) -> Mesh:
    """A tube along a path, its radius constant or given along it; `flat` scales one axis of its section. Open ends are rounded."""
    line = np.asarray(path, float)
    given = np.atleast_1d(np.asarray(radius, float))
    wide = np.interp(np.linspace(0, 1, len(line)), np.linspace(0, 1, len(given)), given) if len(given) > 1 else np.full(len(line), given[0])
    ahead = np.roll(line, -1, 0) - np.roll(line, 1, 0) if closed else np.gradient(line, axis=0)
    ahead /= np.maximum(np.linalg.norm(ahead, axis=1, keepdims=True), 1e-9)
    first = np.cross(ahead[0], [0, 0, 1.0] if closed else [0.123, 0.31, 0.94])
    sides = [first / np.linalg.norm(first)]
    for direction in ahead[1:]:
        side = sides[-1] - direction * np.dot(sides[-1], direction)
        sides.append(side / np.linalg.norm(side))
    side = np.array(sides)
    other = np.cross(ahead, side)
    if closed:
        line, wide, side, other = (np.concatenate([values, values[:1]]) for values in (line, wide, side, other))
    else:
        line, wide, side, other = _rounded_ends(line, wide, ahead, side, other, flat)
    turn = np.linspace(0, 2 * np.pi, steps + 1)
    cos, sin = np.cos(turn)[None, :, None], np.sin(turn)[None, :, None]
    points = line[:, None] + wide[:, None, None] * (cos * side[:, None] + flat * sin * other[:, None])
    normals = cos * side[:, None] + sin * other[:, None] / flat
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    length = np.r_[0, np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))]
    places = _places(length / max(length[-1], 1e-9), turn / (2 * np.pi))
    return Mesh(points.reshape(-1, 3), grid_faces(len(line), steps + 1), normals.reshape(-1, 3), places)


def _rounded_ends(line: Points, wide: Points, ahead: Points, side: Points, other: Points, flat: float) -> tuple[Points, ...]:
    share = np.linspace(0, 1, 6)[:-1]
    narrow = np.sqrt(np.maximum(1 - (1 - share) ** 2, 1e-6))
    reach = 0.6 * flat * np.sin(np.pi / 2 * (1 - share))[:, None]
    start, end = line[0] - ahead[0] * wide[0] * reach, (line[-1] + ahead[-1] * wide[-1] * reach)[::-1]
    five = np.ones((5, 1))
    return (
        np.vstack([start, line, end]),
        np.r_[wide[0] * narrow, wide, (wide[-1] * narrow)[::-1]],
        np.vstack([five * side[0], side, five * side[-1]]),
        np.vstack([five * other[0], other, five * other[-1]]),
    )


def loft(rings: ArrayLike) -> Mesh:
    """A skin over closed sections (m, n, 3), of which the first and the last are small enough to close it."""
    grid = np.asarray(rings, float)
    m, n = grid.shape[:2]
    points = np.concatenate([grid, grid[:, :1]], 1).reshape(-1, 3)
    faces = grid_faces(m, n + 1)
    normals = normals_of(points, faces).reshape(m, n + 1, 3)
    seam = normals[:, 0] + normals[:, -1]
    normals[:, 0] = normals[:, -1] = seam / np.maximum(np.linalg.norm(seam, axis=1, keepdims=True), 1e-9)
    outward = normals.reshape(-1, 3)
    if np.mean(((points - points.mean(0)) * outward).sum(1)) < 0:
        outward, faces = -outward, faces[:, ::-1]
    return Mesh(points, faces, outward, _places(np.linspace(0, 1, m), np.linspace(0, 1, n + 1)))


def torus(radius: float, thick: float, height: float) -> Mesh:
    turn = np.linspace(0, 2 * np.pi, 220, endpoint=False)
    return tube(np.stack([radius * np.cos(turn), radius * np.sin(turn), 0 * turn + height], 1), thick, 24, closed=True)


def superellipse(a: float, b: float, power: float, count: int = 240) -> Points:
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    c, s = np.cos(turn), np.sin(turn)
    return np.c_[a * np.sign(c) * np.abs(c) ** (2 / power), b * np.sign(s) * np.abs(s) ** (2 / power)]


def slab(outer: Points, holes: list[Points], height: float, bevel: float, steps: int = 6) -> Mesh:
    """A plate with a smooth outline, rounded edges and holes; all loops (n, 2) counter-clockwise."""
    import mapbox_earcut

    turn = np.linspace(0, np.pi / 2, steps)
    section = [(bevel * (1 - np.sin(x)), bevel * (1 - np.cos(x)), -np.cos(x), np.sin(x)) for x in turn]
    section += [(bevel * (1 - np.cos(x)), height - bevel * (1 - np.sin(x)), np.sin(x), np.cos(x)) for x in turn]
    points, faces, normals, caps = [], [], [], []
    start = 0
    for loop in [outer, *(hole[::-1] for hole in holes)]:
        along = np.roll(loop, -1, 0) - np.roll(loop, 1, 0)
        along /= np.linalg.norm(along, axis=1, keepdims=True)
        out = np.stack([along[:, 1], -along[:, 0]], 1)
        n = len(loop)
        rings = np.array([np.c_[loop - out * inset, np.full(n, z)] for inset, z, _, _ in section])
        facing = np.array([np.c_[out * side, np.full(n, up)] for _, _, up, side in section])
        points.append(np.concatenate([rings, rings[:, :1]], 1).reshape(-1, 3))
        normals.append(np.concatenate([facing, facing[:, :1]], 1).reshape(-1, 3))
        faces.append(grid_faces(len(section), n + 1)[:, ::-1] + start)
        start += len(points[-1])
        caps.append(loop - out * bevel)
    flat = np.vstack(caps)
    ends = np.cumsum([len(cap) for cap in caps]).astype(np.uint32)
    triangles = np.asarray(mapbox_earcut.triangulate_float64(flat, ends)).reshape(-1, 3).astype(int)
    for z, up in ((height, 1.0), (0.0, -1.0)):
        points.append(np.c_[flat, np.full(len(flat), z)])
        normals.append(np.tile([0, 0, up], (len(flat), 1)))
        faces.append(triangles + start)
        start += len(flat)
    every = np.vstack(points)
    low, high = every[:, :2].min(0), every[:, :2].max(0)
    return Mesh(every, np.vstack(faces), np.vstack(normals), (every[:, :2] - low) / max(high - low))


def turned(axis: str, degrees: float) -> Points:
    """The rotation (3, 3) about an axis."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return np.array(
        {"x": [[1, 0, 0], [0, c, -s], [0, s, c]], "y": [[c, 0, s], [0, 1, 0], [-s, 0, c]], "z": [[c, -s, 0], [s, c, 0], [0, 0, 1]]}[axis]
    )


# Textures -------------------------------------------------------------------------------------------------------------


def noise(rows: int, columns: int, power: float, seed: int, along: float = 1.0) -> NDArray[np.float32]:
    """Periodic noise with a spectrum of 1 / f^power, mean 0, standard deviation 1; drawn out along the rows by `along`."""
    fy, fx = np.fft.fftfreq(rows)[:, None] * rows, np.fft.rfftfreq(columns)[None] * columns * along
    f = np.hypot(fx, fy)
    f[0, 0] = 1
    spectrum = np.fft.rfft2(np.random.default_rng(seed).standard_normal((rows, columns))) / f ** (power / 2)
    spectrum[0, 0] = 0
    out = np.fft.irfft2(spectrum, s=(rows, columns))
    return (out / out.std()).astype(np.float32)


def mix(a: ArrayLike, b: ArrayLike, share: NDArray[np.float32]) -> NDArray[np.float32]:
    share = np.clip(share, 0, 1)[..., None]
    return (np.asarray(a, np.float32) * (1 - share) + np.asarray(b, np.float32) * share).astype(np.float32)


def wood(rows: int, columns: int, light: ArrayLike, dark: ArrayLike, seed: int, rings: int) -> NDArray[np.float32]:
    grain = 0.5 + 0.5 * np.sin(2 * np.pi * (rings * np.linspace(0, 1, rows)[:, None] + 0.9 * noise(rows, columns, 3, seed, 8)))
    return mix(light, dark, 0.15 + 0.55 * grain**2 + 0.14 * noise(rows, columns, 1.2, seed + 1, 30))


def speckle(rows: int, columns: int, base: ArrayLike, spot: ArrayLike, seed: int, density: float) -> NDArray[np.float32]:
    import cv2

    r = np.random.default_rng(seed)
    fine, coarse = ((r.random((rows, columns)) < density * share).astype(np.float32) for share in (0.12, 0.03))
    spots = cv2.GaussianBlur(fine, (0, 0), 1.1) * 5 + cv2.GaussianBlur(coarse, (0, 0), 2.2) * 14
    return mix(base, spot, np.clip(spots, 0, 0.85) + 0.06 * noise(rows, columns, 2, seed + 3))


def marble(rows: int, columns: int, base: ArrayLike, vein: ArrayLike, seed: int) -> NDArray[np.float32]:
    veins = np.exp(-np.abs(noise(rows, columns, 3.2, seed) + 0.25 * noise(rows, columns, 2.4, seed + 7)) * 9)
    return mix(base, vein, 0.75 * veins * np.clip(0.6 + 0.5 * noise(rows, columns, 3.5, seed + 9), 0, 1))
