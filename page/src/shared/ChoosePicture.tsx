import { Button, Text } from '@chakra-ui/react';
import { useRef, useState } from 'react';

const MOST_PICTURE = 3_000_000;

/** A picture file of up to 3 MB, as a data address with its name. */
export function ChoosePicture({
  label,
  onPicture,
}: {
  label: string;
  onPicture: (address: string, name: string) => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<string>();
  const read = (file: File) => {
    setTrouble(undefined);
    if (file.size > MOST_PICTURE) {
      setTrouble(
        `${file.name} has ${(file.size / 1e6).toFixed(1)} MB; a picture has 3 MB at most here. Save it smaller.`,
      );
      return;
    }
    const reader = new FileReader();
    reader.onload = () => typeof reader.result === 'string' && onPicture(reader.result, file.name);
    reader.readAsDataURL(file);
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept="image/png,image/jpeg,image/webp"
        aria-label={label}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) read(file);
          event.target.value = '';
        }}
      />
      <Button size="xs" variant="outline" bg="white" onClick={() => input.current?.click()}>
        {label}
      </Button>
      {trouble && (
        <Text role="alert" color="chalk.pink" fontSize="13px">
          {trouble}
        </Text>
      )}
    </>
  );
}
