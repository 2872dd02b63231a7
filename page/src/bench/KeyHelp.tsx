import { CloseButton, Dialog, Flex, Kbd, Portal, Text } from '@chakra-ui/react';

const KEYS: [string, string][] = [
  ['N', 'next finding: the viewer flies there, the stage that mends it opens'],
  ['Shift N', 'the finding before'],
  ['B', 'hold to see the photo as it came in'],
  ['V', 'the next test card behind the cut-out'],
  ['S', 'before and after, split by a line to drag'],
  ['D', 'before and after side by side, moving together'],
  ['1 … 5', 'Frame, Balance, Lift, Clear, Edge'],
  ['W', 'walk along the outline, to where the next stretch wants a look; with Shift: one stretch back'],
  ['M', 'mend the stretch: paint the band wider there'],
  ['Ctrl Z', 'take the last step back; with Shift: do it again'],
  ['Space', 'hold to move the picture with a tool in hand; the wheel or two fingers zoom'],
  ['Enter', 'close the outline that is drawn; Delete takes a point away'],
  ['Page Down', 'the next photo of the lot'],
  ['Page Up', 'the photo before'],
  ['← →', 'with a slider in hand: one step; with Shift: ten'],
  ['Escape', 'let go of the finding; then back to the line-up'],
  ['?', 'these keys'],
];

export function KeyHelp({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Dialog.Root open={open} onOpenChange={(change) => !change.open && onClose()} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content>
            <Dialog.Header>
              <Dialog.Title>Keys at the bench</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="5">
              {KEYS.map(([key, what]) => (
                <Flex key={key} gap="3" py="1" align="center">
                  <Flex width="86px" flex="none">
                    <Kbd>{key}</Kbd>
                  </Flex>
                  <Text>{what}</Text>
                </Flex>
              ))}
            </Dialog.Body>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
