import { Box, Text } from '@chakra-ui/react';
import type { Graph, Photo } from '../api/client';

const W = 284;

/** How the light falls off over the backdrop, as lines of equal level, and how sure that is. */
export function Contours({ lift, photo }: { lift: Graph; photo: Photo }) {
  const height = Math.max((W * photo.height) / photo.width, 8);
  return (
    <Box flex="none">
      <Text fontSize="13px" pb="1">
        Light on the backdrop, in levels of 255; it explains {Math.round(100 * lift.sure_of_backdrop)} % of the border
      </Text>
      <svg
        viewBox={`0 0 ${W} ${height}`}
        width="100%"
        style={{ maxHeight: 1.5 * W }}
        role="img"
        aria-label="Lines of equal level of the backdrop"
      >
        <rect x="0.5" y="0.5" width={W - 1} height={height - 1} fill="#fff" stroke="#D2D2CD" />
        {lift.contours.map(([level, points], i) => {
          const line = points as [number, number][];
          const [x = 0, y = 0] = line[Math.floor(line.length / 2)] ?? [];
          return (
            <g key={i}>
              <polyline
                points={line.map(([a, b]) => `${(a * W).toFixed(1)},${(b * height).toFixed(1)}`).join(' ')}
                fill="none"
                stroke="#2C5AA0"
                strokeWidth="1.2"
              />
              <text
                x={Math.min(Math.max(x * W, 14), W - 14)}
                y={Math.min(Math.max(y * height + 4, 12), height - 4)}
                fontSize="11"
                textAnchor="middle"
                className="figures"
                fill="#262B2F"
                stroke="#fff"
                strokeWidth="3"
                paintOrder="stroke"
              >
                {String(level)}
              </text>
            </g>
          );
        })}
      </svg>
    </Box>
  );
}
