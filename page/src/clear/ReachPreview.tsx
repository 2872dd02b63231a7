import { useEffect, useRef } from 'react';
import type { Deck } from '../bench/deck';
import type { ReachMap } from './useClear';

const STEPS = 4; // of the map, for one unit of tolerance
const CELL = 28; // px of the map between strokes

/** What a tolerance reaches, drawn by the page from the reach map, as fast as the pointer moves. */
export function ReachPreview(props: { deck: Deck; map: ReachMap; tolerance: number; width: number; height: number }) {
  const { deck, map, tolerance, width, height } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const made = useRef<{ of: ReachMap; image: ImageData; words: Uint32Array; strokes: Uint8Array } | null>(null);
  const level = Math.round(tolerance * STEPS);

  useEffect(() => {
    const context = canvas.current?.getContext('2d');
    if (!context) return;
    if (made.current?.of !== map) {
      const image = context.createImageData(map.width, map.height);
      made.current = {
        of: map,
        image,
        words: new Uint32Array(image.data.buffer),
        strokes: strokesOver(map.width, map.height),
      };
    }
    const { image, words, strokes } = made.current;
    // A veil of paper, and chalk strokes on it; as ABGR words.
    const table = new Uint32Array(512);
    for (let i = 0; i <= level; i++) {
      table[i] = 0x8cf6f8f8;
      table[256 + i] = 0xffa05a2c;
    }
    const { levels } = map;
    for (let i = 0; i < levels.length; i++) words[i] = table[(levels[i] ?? 0) + ((strokes[i] ?? 0) << 8)] ?? 0;
    context.putImageData(image, 0, 0);
    // For whoever measures how long a person waits.
    requestAnimationFrame(() => performance.mark('reach shown'));
  }, [map, level]);

  const at = deck.onScreen({ x: 0, y: 0, width, height });
  if (!at) return null;
  return (
    <canvas
      ref={canvas}
      width={map.width}
      height={map.height}
      aria-label={`What a tolerance of ${tolerance.toFixed(2)} reaches`}
      style={{
        position: 'absolute',
        left: at.x,
        top: at.y,
        width: at.width,
        height: at.height,
        pointerEvents: 'none',
      }}
    />
  );
}

function strokesOver(width: number, height: number): Uint8Array {
  const out = new Uint8Array(width * height);
  for (let y = 0; y < height; y++) {
    const down = y % CELL;
    if (down < 6 || down > 18) continue;
    const shift = (Math.floor(y / CELL) % 2) * (CELL / 2);
    for (let x = 0; x < width; x++) {
      const slant = (((x + shift) % CELL) + down) % CELL;
      if ((slant > 4 && slant < 7) || (slant > 11 && slant < 14)) out[y * width + x] = 1;
    }
  }
  return out;
}
