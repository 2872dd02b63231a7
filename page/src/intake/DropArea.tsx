import { Box, Text } from '@chakra-ui/react';
import { useRef, useState, type ReactNode } from 'react';
import { gatherDrop, type Gathered } from './gather';

/** Takes files, folders and ZIPs that are dropped anywhere on what it holds. */
export function DropArea({
  what,
  onFiles,
  children,
}: {
  what: string;
  onFiles: (files: Gathered[]) => void;
  children: ReactNode;
}) {
  const [over, setOver] = useState(false);
  // What is dragged from the page itself, a tile's link or its picture, is nothing to take in.
  const own = useRef(false);
  return (
    <Box
      position="relative"
      height="100%"
      onDragStart={() => {
        own.current = true;
      }}
      onDragEnd={() => {
        own.current = false;
      }}
      onDragOver={(event) => {
        if (own.current) return;
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={(event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setOver(false);
      }}
      onDrop={(event) => {
        if (own.current) return;
        event.preventDefault();
        setOver(false);
        void gatherDrop(event.dataTransfer.items).then(onFiles);
      }}
    >
      {children}
      {over && (
        <Box
          position="absolute"
          inset="3"
          border="3px solid"
          borderColor="chalk.blue"
          borderRadius="yard"
          bg="rgba(248,248,246,.9)"
          display="flex"
          alignItems="center"
          justifyContent="center"
          pointerEvents="none"
          zIndex="5"
        >
          <Text fontSize="20px" fontWeight="700" color="chalk.blue">
            {what}
          </Text>
        </Box>
      )}
    </Box>
  );
}
