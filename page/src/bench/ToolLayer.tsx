import { Box } from '@chakra-ui/react';
import { useEffect, useRef, type ReactNode } from 'react';
import type { Deck } from './deck';

export type At = {
  /** px of the picture. */
  x: number;
  y: number;
  /** px of this layer. */
  left: number;
  top: number;
  /** 0..1; of a pen, 1 for all else. */
  pressure: number;
  shift: boolean;
};

type Props = {
  deck: Deck;
  label: string;
  cursor?: string;
  onDown: (at: At) => void;
  onMove?: (at: At, pressed: boolean) => void;
  onUp?: (at: At) => void;
  /** A second finger came: what was begun is not meant. */
  onCancel?: () => void;
  onLeave?: () => void;
  onDouble?: (at: At) => void;
  children?: ReactNode;
};

/**
 * Takes the pointer over the viewer for a tool. Looking around goes on: the wheel and two fingers zoom, two fingers, the
 * middle button or the space bar move the picture.
 */
export function ToolLayer({
  deck,
  label,
  cursor = 'crosshair',
  onDown,
  onMove,
  onUp,
  onCancel,
  onLeave,
  onDouble,
  children,
}: Props) {
  const element = useRef<HTMLDivElement>(null);
  const fingers = useRef(new Map<number, { x: number; y: number }>());
  const looking = useRef<{ x: number; y: number; apart: number } | null>(null);
  const space = useRef(false);

  useEffect(() => {
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      deck.zoomAt(event.clientX, event.clientY, Math.exp(-event.deltaY / 500));
    };
    const node = element.current;
    // React's own wheel handlers may not prevent the page from scrolling.
    node?.addEventListener('wheel', wheel, { passive: false });
    const key = (event: KeyboardEvent) => {
      if (event.key === ' ') space.current = event.type === 'keydown';
    };
    window.addEventListener('keydown', key);
    window.addEventListener('keyup', key);
    return () => {
      node?.removeEventListener('wheel', wheel);
      window.removeEventListener('keydown', key);
      window.removeEventListener('keyup', key);
    };
  }, [deck]);

  const at = (event: React.PointerEvent | React.MouseEvent): At | null => {
    const place = deck.pictureAt(event.clientX, event.clientY);
    const edge = element.current?.getBoundingClientRect();
    if (!place || !edge) return null;
    const pen = 'pointerType' in event && event.pointerType === 'pen';
    return {
      x: place.x,
      y: place.y,
      left: event.clientX - edge.left,
      top: event.clientY - edge.top,
      pressure: pen ? Math.max(0.05, event.pressure) : 1,
      shift: event.shiftKey,
    };
  };
  const middle = () => {
    const all = [...fingers.current.values()];
    const [a = { x: 0, y: 0 }, b = a] = all;
    return { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2, apart: Math.max(1, Math.hypot(a.x - b.x, a.y - b.y)) };
  };

  return (
    <Box
      ref={element}
      position="absolute"
      inset="0"
      cursor={cursor}
      style={{ touchAction: 'none' }}
      role="application"
      aria-label={label}
      onPointerDown={(event: React.PointerEvent<HTMLDivElement>) => {
        event.preventDefault();
        event.currentTarget.setPointerCapture(event.pointerId);
        fingers.current.set(event.pointerId, { x: event.clientX, y: event.clientY });
        if (fingers.current.size > 1 || event.button === 1 || space.current) {
          if (fingers.current.size > 1) onCancel?.();
          looking.current = middle();
          return;
        }
        const here = at(event);
        if (here && event.button === 0) onDown(here);
      }}
      onPointerMove={(event: React.PointerEvent<HTMLDivElement>) => {
        const pressed = fingers.current.has(event.pointerId);
        if (pressed) fingers.current.set(event.pointerId, { x: event.clientX, y: event.clientY });
        if (looking.current) {
          const now = middle();
          deck.panBy(now.x - looking.current.x, now.y - looking.current.y);
          if (fingers.current.size > 1) deck.zoomAt(now.x, now.y, now.apart / looking.current.apart);
          looking.current = now;
          return;
        }
        const here = at(event);
        if (here) onMove?.(here, pressed);
      }}
      onPointerUp={(event: React.PointerEvent<HTMLDivElement>) => {
        fingers.current.delete(event.pointerId);
        if (looking.current) {
          looking.current = fingers.current.size ? middle() : null;
          return;
        }
        const here = at(event);
        if (here) onUp?.(here);
      }}
      onPointerCancel={(event: React.PointerEvent<HTMLDivElement>) => {
        fingers.current.delete(event.pointerId);
        looking.current = null;
        onCancel?.();
      }}
      onPointerLeave={() => onLeave?.()}
      onDoubleClick={(event: React.MouseEvent) => {
        const here = at(event);
        if (here) onDouble?.(here);
      }}
    >
      {children}
    </Box>
  );
}
