import { Box, Button, Flex, Popover, Portal, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { useState } from 'react';
import { answered, client, type OwnCard } from '../api/client';
import { ChoosePicture } from '../shared/ChoosePicture';
import { stem } from '../shared/format';
import type { Card } from './cards';
import { Swatch } from './TestCards';

/** Test cards of one's own, colours and pictures: to choose, to add, to forget. They are the same for all who look. */
export function OwnCards(props: { own: OwnCard[]; card: Card | null; onCard: (card: Card) => void }) {
  const { own, card, onCard } = props;
  const [colour, setColour] = useState('#d9c7a8');
  const addColour = useMutation({
    mutationFn: () => answered(client.POST('/api/test-cards/colours', { body: { colour } })),
    onSuccess: (made) => onCard(made.card),
  });
  const addPicture = useMutation({
    mutationFn: (body: { name: string; picture: string }) =>
      answered(client.POST('/api/test-cards/pictures', { body })),
    onSuccess: (made) => onCard(made.card),
  });
  const forget = useMutation({
    mutationFn: (one: Card) => answered(client.DELETE('/api/test-cards/{card}', { params: { path: { card: one } } })),
    onMutate: (one) => {
      if (one === card) onCard('white');
    },
  });
  const trouble = addColour.error ?? addPicture.error ?? forget.error;
  return (
    <Popover.Root positioning={{ placement: 'bottom-end' }} lazyMount unmountOnExit>
      <Popover.Trigger asChild>
        <Box
          as="button"
          fontSize="13px"
          height="22px"
          px="1"
          borderRadius="yard"
          cursor="pointer"
          color="chalk.blue"
          title="Test cards of your own"
          _hover={{ textDecoration: 'underline' }}
        >
          own
        </Box>
      </Popover.Trigger>
      <Portal>
        <Popover.Positioner>
          <Popover.Content aria-label="Test cards of your own" width="292px" bg="paper.raised" color="slate">
            <Popover.Body p="3">
              <Text fontWeight="700">Test cards of your own</Text>
              <Text fontSize="13px" color="slate.quiet" mb="2">
                A colour or a picture to see cut-outs on, such as your page’s ground.
              </Text>
              {own.length > 0 && (
                <Flex wrap="wrap" gap="3" mb="3" role="radiogroup" aria-label="Own test cards">
                  {own.map((one) => (
                    <Box key={one.card} width="56px">
                      <Swatch
                        card={one.card}
                        name={one.name}
                        on={card === one.card}
                        large
                        onPress={() => onCard(one.card)}
                      />
                      <Text fontSize="11px" truncate title={one.name} mt="1">
                        {stem(one.name)}
                      </Text>
                      <Button
                        size="2xs"
                        variant="ghost"
                        height="18px"
                        px="0"
                        aria-label={`Forget ${one.name}`}
                        onClick={() => forget.mutate(one.card)}
                      >
                        Forget
                      </Button>
                    </Box>
                  ))}
                </Flex>
              )}
              <Flex gap="2" align="center" mb="2">
                <input
                  type="color"
                  aria-label="Colour of a test card"
                  value={colour}
                  style={{ width: '40px', height: '26px' }}
                  onChange={(event) => setColour(event.target.value)}
                />
                <Button
                  size="xs"
                  variant="outline"
                  bg="white"
                  loading={addColour.isPending}
                  onClick={() => addColour.mutate()}
                >
                  Add this colour
                </Button>
              </Flex>
              <ChoosePicture
                label="Add a picture"
                onPicture={(picture, name) => addPicture.mutate({ name, picture })}
              />
              {trouble && (
                <Text role="alert" color="chalk.pink" pt="2" fontSize="13px">
                  {trouble.message}
                </Text>
              )}
            </Popover.Body>
          </Popover.Content>
        </Popover.Positioner>
      </Portal>
    </Popover.Root>
  );
}
