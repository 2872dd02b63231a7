import { useEffect, useRef } from 'react';
import type { Deck } from '../bench/deck';
import type { ReachMap } from './useClear';

const STEPS = 4; // of the map, for one unit of tolerance
const CELL = 28; // px of the map between strokes

/** What a tolerance reaches, drawn by the page from the reach map, as fast as the pointer moves. */
export function ReachPreview(props: { deck: Deck; map: ReachMap; tolerance: number; width: number; height: number }) {
  const { deck, map, tolerance, width, height } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const made = useRef<{ of: ReachMap; image: ImageData; words: Uint32Array; places: Uint16Array } | null>(null);
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
        places: placesIn(map),
      };
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

/** For each pixel its place in the table of words: its level, and 256 more where a stroke is. */
function placesIn({ levels, width, height }: ReachMap): Uint16Array {
  const out = Uint16Array.from(levels);
  for (let y = 0; y < height; y++) {
    const down = y % CELL;
    if (down < 6 || down > 18) continue;
    const shift = (Math.floor(y / CELL) % 2) * (CELL / 2);
    for (let x = 0; x < width; x++) {
      const slant = (((x + shift) % CELL) + down) % CELL;
      if ((slant > 4 && slant < 7) || (slant > 11 && slant < 14))
        out[y * width + x] = (levels[y * width + x] ?? 0) + 256;
    }
  }
  return out;
}
