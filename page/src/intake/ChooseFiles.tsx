import { Button, type ButtonProps } from '@chakra-ui/react';
import { useRef } from 'react';
import { gatherChosen, type Gathered } from './gather';

/** A button that opens the system's file choice. */
export function ChooseFiles({
  onFiles,
  children,
  ...button
}: { onFiles: (files: Gathered[]) => void } & Omit<ButtonProps, 'onClick'>) {
  const input = useRef<HTMLInputElement>(null);
  return (
    <>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        aria-label="Photos or ZIPs"
        accept=".jpg,.jpeg,.png,.tif,.tiff,.webp,.gif,.avif,.heic,.heif,.zip"
        onChange={(event) => {
          if (event.target.files?.length) onFiles(gatherChosen(event.target.files));
          event.target.value = '';
        }}
      />
      <Button {...button} onClick={() => input.current?.click()}>
        {children}
      </Button>
    </>
  );
}
