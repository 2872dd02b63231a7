import { CloseButton, Dialog, Flex, Kbd, Portal, Text } from '@chakra-ui/react';

/** The keys of a screen. */
export function KeyHelp(props: { title: string; keys: [string, string][]; open: boolean; onClose: () => void }) {
  const { title, keys, open, onClose } = props;
  return (
    <Dialog.Root open={open} onOpenChange={(change) => !change.open && onClose()} size="sm">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content>
            <Dialog.Header>
              <Dialog.Title>{title}</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body pb="5">
              {keys.map(([key, what]) => (
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
