import { useEffect, useRef } from 'react';
import type { Deck } from '../bench/deck';
import { useWhere } from '../bench/useWhere';
import type { ReachMap } from './useClear';

const STEPS = 4; // of the map, for one unit of tolerance
const CELL = 24; // px of the canvas between strokes

/** What a tolerance reaches, drawn by the page from the reach map, as fast as the pointer moves. */
export function ReachPreview(props: { deck: Deck; map: ReachMap; tolerance: number; width: number; height: number }) {
  const { deck, map, tolerance, width, height } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const made = useRef<Made | null>(null);
  const level = Math.round(tolerance * STEPS);
  const at = useWhere(deck)?.onScreen({ x: 0, y: 0, width, height });
  // No more px than the screen shows: all of them are drawn at each move of the pointer.
  const stride = at ? Math.max(1, Math.floor(map.width / (at.width * devicePixelRatio))) : 1;
  const across = Math.ceil(map.width / stride);
  const down = Math.ceil(map.height / stride);

  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    if (made.current?.of !== map || made.current.stride !== stride) {
      const image = context.createImageData(across, down);
      const words = new Uint32Array(image.data.buffer);
      made.current = { of: map, stride, image, words, places: placesIn(map, stride, across, down) };
    }
    const { image, words, places } = made.current;
    // A veil of paper, and chalk strokes on it; as ABGR words.
    const table = new Uint32Array(512);
    for (let i = 0; i <= level; i++) {
      table[i] = 0x8cf6f8f8;
      table[256 + i] = 0xffa05a2c;
    }
    for (let i = 0; i < places.length; i++) words[i] = table[places[i] as number] as number;
    context.putImageData(image, 0, 0);
    // For whoever measures how long a person waits.
    requestAnimationFrame(() => performance.mark('reach shown'));
  }, [map, level, stride, across, down]);

  if (!at) return null;
  return (
    <canvas
      ref={canvas}
      width={across}
      height={down}
      aria-label={`What a tolerance of ${tolerance.toFixed(2)} reaches`}
      style={{
        position: 'absolute',
        left: at.x,
        top: at.y,
        width: (at.width * across * stride) / map.width,
        height: (at.height * down * stride) / map.height,
        pointerEvents: 'none',
      }}
    />
  );
}

type Made = { of: ReachMap; stride: number; image: ImageData; words: Uint32Array; places: Uint16Array };

/** For each pixel of the canvas its place in the table of words: the level that reaches any of it, and 256 more where a stroke is. */
function placesIn(map: ReachMap, stride: number, width: number, height: number): Uint16Array {
  const out = new Uint16Array(width * height).fill(255);
  for (let y = 0; y < map.height; y++) {
    const row = Math.floor(y / stride) * width;
    for (let x = 0; x < map.width; x++) {
      const at = row + Math.floor(x / stride);
      out[at] = Math.min(out[at] as number, map.levels[y * map.width + x] as number);
    }
  }
  for (let y = 0; y < height; y++) {
    const down = y % CELL;
    if (down < 5 || down > 16) continue;
    const shift = (Math.floor(y / CELL) % 2) * (CELL / 2);
    for (let x = 0; x < width; x++) {
      const slant = (((x + shift) % CELL) + down) % CELL;
      if ((slant > 3 && slant < 6) || (slant > 9 && slant < 12))
        out[y * width + x] = (out[y * width + x] as number) + 256;
    }
  }
  return out;
}
