import { Box } from '@chakra-ui/react';
import type { Deck } from './deck';

/** The line between before, at its left, and after: to drag, or to move by the arrow keys. */
export function SplitLine({ left, deck }: { left: number; deck: Deck }) {
  return (
    <Box
      role="slider"
      tabIndex={0}
      aria-label="Line between before and after"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(left)}
      aria-valuetext={`${Math.round(left)} px from the left`}
      position="absolute"
      top="0"
      bottom="0"
      width="17px"
      ml="-8px"
      cursor="ew-resize"
      style={{ left, touchAction: 'none' }}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        if (event.currentTarget.hasPointerCapture(event.pointerId)) deck.splitAt(deck.shareAt(event.clientX));
      }}
      onKeyDown={(event) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
        if (by === undefined) return;
        event.preventDefault();
        deck.splitBy(by * (event.shiftKey ? 0.1 : 0.01));
      }}
    >
      <Box position="absolute" left="7px" top="0" bottom="0" width="3px" bg="paper.raised" boxShadow="yard" />
      <Label side="right">before</Label>
      <Label side="left">after</Label>
    </Box>
  );
}

function Label({ side, children }: { side: 'left' | 'right'; children: string }) {
  return (
    <Box
      position="absolute"
      top="48%"
      {...{ [side]: '16px' }}
      bg="paper.raised"
      borderRadius="yard"
      px="2"
      fontSize="13px"
      pointerEvents="none"
    >
      {children}
    </Box>
  );
}
