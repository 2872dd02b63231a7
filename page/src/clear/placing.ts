import type { Photo } from '../api/client';
import type { Share } from './regions';

type Point = { x: number; y: number };

/** Goes between px of the framed photo, as the viewer shows it, and shares of the upright one, as marks keep them. */
export type Placing = {
  toPhoto: (at: Point) => Share;
  toPicture: (share: readonly number[]) => Point;
  /** A length in px of the picture as a share of the photo's longer side, and back. */
  toSize: (px: number) => number;
  toPx: (size: number) => number;
};

export function placingOf(photo: Photo): Placing {
  const [[a = 1, b = 0, c = 0] = [], [d = 0, e = 1, f = 0] = []] = photo.to_frame;
  const { width, height, longest } = photo;
  const det = a * e - b * d;
  return {
    toPhoto: ({ x, y }) => {
      const u = x / width - c;
      const v = y / height - f;
      return [round((e * u - b * v) / det), round((a * v - d * u) / det)];
    },
    toPicture: ([x = 0, y = 0]) => ({ x: (a * x + b * y + c) * width, y: (d * x + e * y + f) * height }),
    toSize: (px) => px / longest,
    toPx: (size) => size * longest,
  };
}

const round = (share: number) => Math.round(share * 1e5) / 1e5;

/** Inside the photo. */
export const within = ([x, y]: Share): Share => [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))];

/** At most so many of the points, evenly. */
export function thinned<T>(points: T[], most = 400): T[] {
  const every = Math.ceil(points.length / most);
  return points.filter((_, i) => i % every === 0);
}
