"""The scenes that the network is taught on, each drawn at random from its number; and the photos taken of them."""

from dataclasses import dataclass
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from teaching.camera import Carelessness, Taken, layers_of, photo_of
from teaching.drawings import drawn
from teaching.products import pierced, products, table
from teaching.studio import Scene, Thing, render
from yardchalk.core.backdrop import fit_backdrop
from yardchalk.core.codecs import decode_photo
from yardchalk.core.colour import Float
from yardchalk.core.second_look import coded_steps, what_is_shown
from yardchalk.core.stages.clear.automatic import clear_automatically
from yardchalk.core.stages.clear.evidence import gather_evidence, without_noise

Codes = NDArray[np.uint8]

SIZE = 880  # px
CARELESS, BURNT = "-careless", "-burnt"  # at the end of a photo's name: its truth is coverage alone
SHADOWED, PIERCED = "-shadowed", "-pierced"  # likewise: most of them in a small lamp's light; of a sheet with holes
_WITH_TABLE = 6  # every so many scenes the paper ends in the frame
_FLAT = 30  # degrees; a camera that is higher looks down on things that lie
_PHOTOS = 4  # of each scene, and as many that are taken carelessly
_SHADOWED_FROM, _SHADOW_SHARE = 2000, 0.6  # number of the first scene; share of its photos
_BURNT_PHOTOS = 5  # of each scene that is made to be burnt out


@dataclass(frozen=True)
class Lesson:
    """A photo, what the rules make of it, and the truth.

    Attributes
    ----------
    pixels : uint8, shape (h, w, 3), coded, as it is looked at.
    light : float32, shape (h', w', 3), linear light of its backdrop model, at any size.
    steps, product : uint8, shape (h, w), as the network is shown them.
    truth : uint8, shape (h, w), coverage 0..255.
    """

    pixels: Codes
    light: Float
    steps: Codes
    product: Codes
    truth: Codes


def scene(number: int, pale: bool = False, with_holes: bool = False) -> tuple[Scene, int]:
    """A scene, and the coded level that its empty backdrop is exposed for; if `pale`, a product that is mostly, on white paper.

    If it is to be one `with_holes`, a thin sheet that has clean cut ones.
    """
    r = np.random.default_rng(7000 + number)
    product, above = (pierced(r), True) if with_holes else products(r, pale)
    kind = 0.0 if pale else r.random()
    if kind < 0.62:
        paper = np.full(3, 0.82)
    elif kind < 0.74:
        paper = np.full(3, r.uniform(0.25, 0.6))
    elif kind < 0.88:
        paper = np.clip(np.array([0.66, 0.70, 0.74]) + r.normal(0, 0.09, 3), 0.3, 0.85)
    else:
        paper = r.uniform(0.02, 0.15, 3)
        paper[r.integers(3)] = r.uniform(0.3, 0.6)
    width, height = (SIZE, SIZE) if r.random() < 0.5 else (SIZE + 120, (SIZE + 120) * 3 // 4)
    with_table = number % _WITH_TABLE == 0 and not pale
    edges, beyond = (-160.0, 160.0), Thing()
    if with_table:
        edge = r.uniform(11, 20)
        edges = (-edge, 160.0) if r.random() < 0.5 else (-160.0, edge)
        beyond = table(r)
    high = r.uniform(58, 82) if r.random() < 0.8 and not with_table else r.uniform(30, 58)
    side = 1 if r.random() < 0.35 else -1
    top = float(paper.max())
    level = r.uniform(222, 245) if top > 0.75 else np.clip(255 * (top * 1.05) ** 0.45 * r.uniform(0.85, 1.05), 80, 235)
    made = Scene(
        product=product,
        beyond=beyond,
        paper=(float(paper[0]), float(paper[1]), float(paper[2])),
        edges=edges,
        width=width,
        height=height,
        elevation=high if above else r.uniform(9, 28),
        distance=100 if above else 90,
        fill=r.uniform(0.45, 0.62) if with_table else r.uniform(0.6, 0.85),
        off=float(r.choice([-1, 1]) * r.uniform(0.2, 0.35)) if r.random() < 0.15 else 0.0,
        key=(side * r.uniform(40, 75), r.uniform(-40, 40), r.uniform(60, 90)),
        key_size=r.uniform(22, 36),
        key_light=r.uniform(5, 10),
        fine=with_table,
        seed=number + 1,
    )
    return made, int(level)


def prepare(folder: Path, number: int, print_share: float = 0) -> None:
    """Render a scene and take photos of it, unless that was done; what comes of it is `lessons`' to read. `print_share`: see `photo_of`."""
    if (folder / f"{number:04d}-0.npz").exists():
        return
    made, level = scene(number)
    layers, flat = layers_of(render(made)), made.elevation > _FLAT
    for i in reversed(range(_PHOTOS)):
        r = np.random.default_rng([number, i, 1])
        _keep(folder / f"{number:04d}-{i}{CARELESS}.npz", photo_of(layers, level, r, Carelessness.any(r), print_share, flat))
        _keep(folder / f"{number:04d}-{i}.npz", photo_of(layers, level, np.random.default_rng([number, i]), None, print_share, flat))


def prepare_shadowed(folder: Path, number: int) -> None:
    """The same, of another scene, with a small lamp's shadow on most photos."""
    number += _SHADOWED_FROM
    if (folder / f"{number:04d}-0{SHADOWED}.npz").exists():
        return
    made, level = scene(number)
    layers = layers_of(render(made))
    for i in reversed(range(_PHOTOS)):
        taken = photo_of(layers, level, np.random.default_rng([number, i]), shadow_share=_SHADOW_SHARE)
        _keep(folder / f"{number:04d}-{i}{SHADOWED}.npz", taken)


def prepare_pierced(folder: Path, number: int, print_share: float) -> None:
    """The same of a thin sheet with holes."""
    if (folder / f"{number:04d}-0{PIERCED}.npz").exists():
        return
    made, level = scene(number, with_holes=True)
    layers = layers_of(render(made))
    for i in reversed(range(_PHOTOS)):
        _keep(
            folder / f"{number:04d}-{i}{PIERCED}.npz",
            photo_of(layers, level, np.random.default_rng([number, i, 3]), None, print_share, True),
        )


def prepare_burnt(folder: Path, number: int) -> None:
    """The same with a pale product, burnt out."""
    if (folder / f"{number:04d}-0{BURNT}.npz").exists():
        return
    made, level = scene(number, pale=True)
    layers = layers_of(render(made))
    for i in reversed(range(_BURNT_PHOTOS)):
        taken = photo_of(layers, level, np.random.default_rng([number, i, 2]), Carelessness.BURNT_OUT)
        _keep(folder / f"{number:04d}-{i}{BURNT}.npz", taken)


def prepare_drawing(folder: Path, number: int) -> None:
    path = folder / f"{number:04d}-drawn.npz"
    if not path.exists():
        _keep(path, drawn(np.random.default_rng(90_000 + number), SIZE))


def _keep(path: Path, taken: Taken) -> None:
    pixels = decode_photo(taken.data, path.stem).pixels
    h, w = taken.coverage.shape
    backdrop = fit_backdrop(pixels)
    quiet = without_noise(pixels, backdrop)
    evidence = gather_evidence(pixels, backdrop, quiet.measured)
    np.savez(
        path,
        pixels=pixels,
        looked_at=quiet.looked_at,
        light=backdrop.light(w // 4, h // 4).astype(np.float16),
        steps=coded_steps(evidence.steps),
        product=255 * clear_automatically(evidence).product.view(np.uint8),
        truth=np.rint(taken.coverage * 255).astype(np.uint8),
        own=taken.product.astype(np.float16),
    )


def paths_of(folder: Path, held_out: bool, only: str | None = None, but: str | None = None) -> list[Path]:
    """All that was prepared but what is for one look alone, or `only` that, `BURNT`, or all `but` some, `SHADOWED`; or what of it is held
    out to see how well it goes: some photos of every twelfth scene.
    """
    examined = ("0", f"0{CARELESS}", f"0{BURNT}", f"0{SHADOWED}", f"0{PIERCED}", "drawn")

    def among(path: Path) -> bool:
        if (int(path.name[:4]) % 12 == 7) != held_out or (held_out and path.stem[5:] not in examined):
            return False
        wanted = path.stem.endswith(BURNT) == (only == BURNT)
        return wanted and not (but is not None and path.stem.endswith(but))

    return [path for path in sorted(folder.glob("*.npz")) if among(path)]


def lessons(folder: Path, held_out: bool, only: str | None = None, but: str | None = None) -> list[Lesson]:
    """The photos that `paths_of` names."""
    out = []
    for path in paths_of(folder, held_out, only, but):
        kept = np.load(path)
        light = kept["light"].astype(np.float32)
        out.append(Lesson(kept["looked_at"], light, kept["steps"], kept["product"], kept["truth"]))
    return out


def cutting(lesson: Lesson, at: tuple[slice, slice], size: tuple[int, int]) -> tuple[Float, Float]:
    """What the network is shown of a part of a lesson, brought to a size (width, height), and true coverage there, 0..1."""
    h, w = lesson.truth.shape
    light = cv2.resize(lesson.light, (w, h))[at]
    parts = [values[at] for values in (lesson.pixels, lesson.steps, lesson.product, lesson.truth)]
    pixels, steps, product, truth = (cv2.resize(values, size, interpolation=cv2.INTER_AREA) for values in parts)
    return what_is_shown(pixels, cv2.resize(light, size), steps, product), truth.astype(np.float32) / 255
