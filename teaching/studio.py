"""A made-up photo studio: sweep of paper, key light, grey room; rendered by path tracing with the exact coverage of the product.

Colour, coverage and the product's own share of the colour come from the very same rays, so C = aF + (1 - a) B holds exactly.
"""

from dataclasses import dataclass, field
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import cv2
import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

from teaching.geometry import Mesh, Points, grid_faces, normals_of

mi.set_variant("llvm_ad_rgb")
import drjit as dr  # noqa: E402  (it wants the variant set)

Material = dict[str, Any]
_BRIGHTEST = 12.0  # of a ray; sparks that few samples cannot average are cut off
_RAYS_AT_ONCE = 24_000_000


class _Layers(mi.SamplingIntegrator):
    """A path tracer that also tells whether a ray first meets the product."""

    def __init__(self, props: mi.Properties) -> None:
        super().__init__(props)
        self.inner = mi.load_dict({"type": "path", "max_depth": 8, "rr_depth": 4})
        self.behind: list[Any] = []

    def sample(self, scene: Any, sampler: Any, ray: Any, medium: Any = None, active: Any = True) -> Any:
        met = scene.ray_intersect_preliminary(ray, coherent=True, active=active)
        product = met.is_valid() & active
        for shape in self.behind:
            product &= met.shape != mi.ShapePtr(shape)
        light, valid, _ = self.inner.sample(scene, sampler, ray, medium, active)
        light = dr.select(light == light, dr.minimum(light, _BRIGHTEST), 0)
        there = dr.select(product, mi.Float(1), mi.Float(0))
        return light, valid, [there, light.x * there, light.y * there, light.z * there]

    def aov_names(self) -> list[str]:
        return ["coverage", "product.R", "product.G", "product.B"]


mi.register_integrator("layers", _Layers)


# Materials ------------------------------------------------------------------------------------------------------------


def _rgb(colour: Any) -> dict[str, Any]:
    return {"type": "rgb", "value": [float(v) for v in np.broadcast_to(colour, 3)]}


def texture(values: NDArray[np.float32], repeat: float = 1.0) -> dict[str, Any]:
    bitmap = mi.Bitmap(np.ascontiguousarray(np.clip(values, 0, 1).astype(np.float32)))
    return {"type": "bitmap", "bitmap": bitmap, "raw": True, "to_uv": mi.ScalarTransform4f().scale([repeat, repeat, 1])}


def _coloured(colour: Any) -> dict[str, Any]:
    return colour if isinstance(colour, dict) else _rgb(colour)


def dull(colour: Any) -> Material:
    return {"type": "twosided", "b": {"type": "diffuse", "reflectance": _coloured(colour)}}


def glossy(colour: Any, roughness: float) -> Material:
    coat = {"type": "roughplastic", "diffuse_reflectance": _coloured(colour), "alpha": roughness, "int_ior": 1.5, "nonlinear": True}
    return {"type": "twosided", "b": coat}


def metal(name: str, roughness: float, tint: Any) -> Material:
    bare = {"type": "roughconductor", "material": name, "alpha": roughness, "distribution": "ggx", "specular_reflectance": _rgb(tint)}
    return {"type": "twosided", "b": bare}


def glass(tint: Any) -> Material:
    return {"type": "dielectric", "int_ior": 1.5, "specular_transmittance": _rgb(tint)}


def bumped(material: Material, height: NDArray[np.float32]) -> Material:
    level = np.repeat(((height - height.min()) / max(float(np.ptp(height)), 1e-6))[..., None], 3, -1)
    return {"type": "bumpmap", "tex": texture(level, 3), "scale": 0.12, "b": material}


# Things ---------------------------------------------------------------------------------------------------------------


@dataclass
class Thing:
    """Meshes and bundles of curves (each (n, 4): points and radius), with what they are made of."""

    meshes: list[tuple[Mesh, Material]] = field(default_factory=list)
    bundles: list[tuple[list[Points], Material]] = field(default_factory=list)

    def add(self, mesh: Mesh, material: Material) -> "Thing":
        self.meshes.append((mesh, material))
        return self

    def with_(self, other: "Thing") -> "Thing":
        self.meshes += other.meshes
        self.bundles += other.bundles
        return self

    def placed(self, rotation: Points | None = None, move: tuple[float, float, float] = (0, 0, 0)) -> "Thing":
        turn = np.eye(3) if rotation is None else rotation
        shift = np.array(move, float)
        meshes = [(Mesh(m.points @ turn.T + shift, m.faces, m.normals @ turn.T, m.places), material) for m, material in self.meshes]
        bundles = [([np.c_[c[:, :3] @ turn.T + shift, c[:, 3]] for c in curves], material) for curves, material in self.bundles]
        return Thing(meshes, bundles)

    def on_the_ground(self) -> "Thing":
        return self.placed(move=(0, 0, -float(self.points()[:, 2].min())))

    def points(self) -> Points:
        parts = [m.points[:: max(1, len(m.points) // 4000)] for m, _ in self.meshes]
        parts += [np.vstack(curves)[::20, :3] for curves, _ in self.bundles]
        return np.vstack(parts)

    def described(self, folder: Path, name: str) -> dict[str, Any]:
        """As the renderer takes it; meshes and curves go through files."""
        out: dict[str, Any] = {}
        for i, (mesh, material) in enumerate(self.meshes):
            path = folder / f"{name}{i}.ply"
            _write_mesh(path, mesh)
            out[f"{name}_mesh{i}"] = {"type": "ply", "filename": str(path), "bsdf": material}
        for i, (curves, material) in enumerate(self.bundles):
            path = folder / f"{name}{i}.txt"
            ends_doubled = (np.vstack([c[:1], c[:1], c, c[-1:], c[-1:]]) for c in curves)
            path.write_text("\n".join("".join(f"{x:.5f} {y:.5f} {z:.5f} {r:.5f}\n" for x, y, z, r in c) for c in ends_doubled))
            out[f"{name}_curves{i}"] = {"type": "bsplinecurve", "filename": str(path), "bsdf": material}
        return out


def _write_mesh(path: Path, mesh: Mesh) -> None:
    names = ("x", "y", "z", "nx", "ny", "nz", "u", "v")
    values = np.c_[mesh.points, mesh.normals, mesh.places].astype("<f4")
    faces = np.zeros(len(mesh.faces), [("n", "u1"), ("i", "<i4", 3)])
    faces["n"], faces["i"] = 3, mesh.faces
    head = ["ply", "format binary_little_endian 1.0", f"element vertex {len(values)}", *(f"property float {name}" for name in names)]
    head += [f"element face {len(faces)}", "property list uchar int vertex_indices", "end_header", ""]
    path.write_bytes("\n".join(head).encode() + values.tobytes() + faces.tobytes())


def sweep(left: float = -160, right: float = 160) -> Mesh:
    """A sheet of paper that lies on the table and goes up behind it in a bow."""
    bow = np.linspace(0, np.pi / 2, 40)[1:]
    up = np.linspace(0, 1, 12)[1:]
    y = np.r_[np.linspace(-220, -45, 20), np.linspace(-44, 38, 30), 38 + 26 * np.sin(bow), 64 + 0 * up]
    z = np.r_[np.zeros(50), 26 - 26 * np.cos(bow), 26 + 164 * up]
    x = np.linspace(left, right, 3)
    points = np.stack([np.tile(x, len(y)), np.repeat(y, 3), np.repeat(z, 3)], 1)
    faces = grid_faces(len(y), 3)
    normals = normals_of(points, faces)
    if normals[:, 2].mean() < 0:
        normals, faces = -normals, faces[:, ::-1]
    return Mesh(points, faces, normals, np.c_[(points[:, 0] - left) / (right - left), points[:, 1] / 200])


def _room() -> NDArray[np.float32]:
    """What is reflected: a grey room, dark behind the camera, a lit ceiling and two soft boxes; by longitude and latitude."""
    across, down = np.meshgrid((np.arange(128) + 0.5) / 128 * 2 * np.pi, (np.arange(64) + 0.5) / 64 * np.pi)
    x, y, z = np.sin(across) * np.sin(down), np.cos(across) * np.sin(down), np.cos(down)
    bearing, height = np.degrees(np.arctan2(x, y)), np.degrees(np.arcsin(z))

    def step(value: Any, width: float) -> Any:
        return 1 / (1 + np.exp(-np.clip(value / width, -30, 30)))

    def box(a: float, b: float, low: float, high: float) -> Any:
        return step(bearing - a, 2) * step(b - bearing, 2) * step(height - low, 2) * step(high - height, 2)

    light = 0.35 * (0.6 + 0.4 * step(y, 0.3)) * (1 - 0.75 * box(-235, -135, -30, 50)) * (1 - 0.75 * box(140, 220, -30, 50))
    light += step(height - 58, 4) + 2.5 * box(-115, -60, 2, 48) + 1.5 * box(70, 120, 5, 40)
    return np.repeat(np.clip(light, 0.01, None)[..., None], 3, -1).astype(np.float32)


@dataclass(frozen=True)
class Scene:
    """What is photographed and how.

    Attributes
    ----------
    product, beyond : what is to be cut out, and what else stands about.
    paper : its reflectance, three channels; `edges` its left and right edge, cm.
    width, height : px of the picture.
    elevation : of the camera, degrees; `distance`, cm; `fill`, the product's share of the frame; `off`, how far it lies beside the
        middle, in shares.
    key : where the light stands; `key_size`, cm; `key_light`, its radiance.
    fine : whether the backdrop has detail, so that it is worth as many rays as the product.
    """

    product: Thing
    beyond: Thing
    paper: tuple[float, float, float]
    edges: tuple[float, float]
    width: int
    height: int
    elevation: float
    distance: float
    fill: float
    off: float
    key: tuple[float, float, float]
    key_size: float
    key_light: float
    fine: bool
    seed: int


def _camera(scene: Scene) -> tuple[Points, Points, float]:
    """Where the camera stands, what it looks at, and its angle of view in degrees, so that the product fills its share."""
    rise = np.radians(scene.elevation)
    back = np.array([0, -np.cos(rise), np.sin(rise)])
    right = np.array([1.0, 0, 0])
    up = np.cross(right, -back)
    points = scene.product.points()
    target, reach = points.mean(0), 1.0
    for _ in range(6):
        seen = points - (target + back * scene.distance)
        depth = seen @ -back
        x, y = seen @ right / depth, seen @ up / depth
        reach = max(np.ptp(x) / 2, np.ptp(y) / 2 * scene.width / scene.height) / scene.fill
        aside = (x.min() + x.max()) / 2 - scene.off * reach
        target = target + aside * scene.distance * right + (y.min() + y.max()) / 2 * scene.distance * up
    return target + back * scene.distance, target, float(np.degrees(2 * np.arctan(reach)))


def render(scene: Scene, rays: int = 12, coarse: int = 6) -> NDArray[np.float32]:
    """Linear light (R, G, B), coverage by the product, and its own share of the light: float32 (h, w, 7)."""
    eye, target, angle = _camera(scene)
    with TemporaryDirectory() as name:
        folder = Path(name)
        behind = Thing().add(sweep(*scene.edges), dull(scene.paper)).with_(scene.beyond)
        to_world = mi.ScalarTransform4f()
        light = {
            "type": "rectangle",
            "to_world": to_world.look_at(list(scene.key), [0, 0, 3], [0, 0.1, 1]).scale([scene.key_size, scene.key_size, 1]),
            "em": {"type": "area", "radiance": _rgb(scene.key_light)},
            "bsdf": {"type": "diffuse", "reflectance": _rgb(0)},
        }
        room = {"type": "envmap", "bitmap": mi.Bitmap(_room()), "to_world": to_world.rotate([1, 0, 0], 90)}
        parts = {**scene.product.described(folder, "product"), **behind.described(folder, "behind")}
        made = mi.load_dict({"type": "scene", "room": room, "key": light, **parts}, optimize=False)
    layers = mi.load_dict({"type": "layers"})
    layers.behind = [shape for shape in made.shapes() if shape.id().startswith("behind") or shape.is_emitter()]

    def shoot(scale: int, left: int, top: int, width: int, height: int, count: int) -> NDArray[np.float64]:
        film = {
            "type": "hdrfilm",
            "width": scene.width // scale,
            "height": scene.height // scale,
            "crop_offset_x": left,
            "crop_offset_y": top,
            "crop_width": width,
            "crop_height": height,
            "rfilter": {"type": "box"},
            "pixel_format": "rgb",
            "component_format": "float32",
        }
        view = to_world.look_at(eye.tolist(), target.tolist(), [0, 0, 1] if scene.elevation < 85 else [0, 1, 0])
        lens = {"type": "perspective", "fov": angle, "fov_axis": "x", "near_clip": 1, "far_clip": 2000, "to_world": view}
        sensor = mi.load_dict({**lens, "sampler": {"type": "multijitter", "sample_count": count}, "film": film})
        total, left_over, round_ = np.zeros((height, width, 7)), count, 0
        while left_over:
            now = min(left_over, max(1, _RAYS_AT_ONCE // (width * height)))
            seed = scene.seed + 1000 * round_ + 77 * scale
            total += np.array(mi.render(made, sensor=sensor, integrator=layers, spp=now, seed=seed)) * now
            left_over, round_ = left_over - now, round_ + 1
        return total / count

    # The smooth backdrop far from the product is seen at half the size; the product and what is round it in full.
    scale = 1 if scene.fine else 2
    w, h = scene.width // scale, scene.height // scale
    first = shoot(scale, 0, 0, w, h, coarse).astype(np.float32)
    if not (first[..., 3] > 0).any():
        raise ValueError("The product is not in the frame")
    full = first
    if scale > 1:
        free = (first[..., 3] == 0).astype(np.float32)
        light_there = cv2.GaussianBlur(first[..., :3] * free[..., None], (0, 0), 2.5)
        smooth = light_there / np.maximum(cv2.GaussianBlur(free, (0, 0), 2.5), 1e-4)[..., None]
        full = np.zeros((scene.height, scene.width, 7), np.float32)
        full[..., :3] = cv2.resize(smooth, (scene.width, scene.height), interpolation=cv2.INTER_CUBIC)
    margin = int(0.022 * w) + 4
    x, y, bw, bh = cv2.boundingRect((first[..., 3] > 0).astype(np.uint8))
    left, top = max(0, x - margin) * scale, max(0, y - margin) * scale
    right, bottom = min(w, x + bw + margin) * scale, min(h, y + bh + margin) * scale
    close = shoot(1, left, top, right - left, bottom - top, rays)
    at = np.s_[top:bottom, left:right]
    full[at] = (full[at] * coarse + close * rays) / (coarse + rays) if scale == 1 else close
    return full
