import { Button, CloseButton, Dialog, Portal, Text } from '@chakra-ui/react';
import type { ReactNode, RefObject } from 'react';

/** A question with one answer that does something: its title, what there is to say, and two buttons. */
export function AskDialog(props: {
  title: string;
  size: 'sm' | 'lg';
  /** What has the keyboard at first. */
  first: RefObject<HTMLElement | null>;
  trouble: string | undefined;
  /** The button that does it; null once it is done. */
  answer: { words: string; disabled?: boolean; busy?: boolean } | null;
  /** That button, where it has the keyboard at first. */
  button?: RefObject<HTMLButtonElement | null>;
  onAnswer: () => void;
  onClose: () => void;
  children: ReactNode;
}) {
  const { title, size, first, trouble, answer, button, onAnswer, onClose, children } = props;
  return (
    <Dialog.Root
      open
      onOpenChange={(change) => !change.open && onClose()}
      size={size}
      initialFocusEl={() => first.current}
    >
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="paper.raised">
            <form
              onSubmit={(event) => {
                event.preventDefault();
                if (answer && !answer.disabled) onAnswer();
              }}
            >
              <Dialog.Header pb="1">
                <Dialog.Title>{title}</Dialog.Title>
              </Dialog.Header>
              <Dialog.Body pb="3">
                {children}
                {trouble && (
                  <Text role="alert" color="chalk.pink" pt="2">
                    {trouble}
                  </Text>
                )}
              </Dialog.Body>
              <Dialog.Footer>
                <Button size="sm" variant="outline" bg="white" onClick={onClose}>
                  {answer ? 'Not now' : 'Close'}
                </Button>
                {answer && (
                  <Button
                    ref={button}
                    size="sm"
                    type="submit"
                    colorPalette="blue"
                    loading={answer.busy}
                    disabled={answer.disabled}
                  >
                    {answer.words}
                  </Button>
                )}
              </Dialog.Footer>
            </form>
            <Dialog.CloseTrigger asChild>
              <CloseButton size="sm" aria-label="Close" />
            </Dialog.CloseTrigger>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
