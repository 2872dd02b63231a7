import { Box, Button, Flex, Text } from '@chakra-ui/react';
import { useMutation } from '@tanstack/react-query';
import { answered, client } from '../api/client';
import { keys, queries, useAllowances } from '../api/queries';
import { count, stem } from '../shared/format';
import { checkName } from '../shared/marks';

const WHERE = { lot: 'in this lot', spec: 'by the listing spec' };

/** What was let pass in the lot, with the reason, to take back. */
export function Allowances({ lotId }: { lotId: number }) {
  const allowances = useAllowances(lotId);
  const withdraw = useMutation({
    mutationFn: (allowance_id: number) =>
      answered(client.DELETE('/api/allowances/{allowance_id}', { params: { path: { allowance_id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.allowances(lotId) }),
  });
  if (!allowances.data?.length) return null;
  return (
    <Box as="section" px="3.5" mt="5" aria-label="Allowed">
      <Flex justify="space-between" mb="1">
        <Text fontWeight="700">Allowed</Text>
        <Text className="figures">{allowances.data.length}</Text>
      </Flex>
      {allowances.data.map((one) => (
        <Flex key={one.id} gap="2" justify="space-between" align="start" mb="2" fontSize="13px">
          <Box minWidth="0" overflowWrap="anywhere">
            {checkName(one.check)}, {one.scope === 'photo' ? stem(one.photo_name ?? '') : WHERE[one.scope]}
            <Text color="slate.quiet">
              {one.reason}
              {one.scope !== 'photo' && ` (${count(one.serves, 'finding')})`}
            </Text>
          </Box>
          <Button
            size="2xs"
            variant="outline"
            bg="white"
            flex="none"
            aria-label={`Take back: ${checkName(one.check)}, ${one.reason}`}
            onClick={() => withdraw.mutate(one.id)}
          >
            Take back
          </Button>
        </Flex>
      ))}
      {withdraw.error && (
        <Text role="alert" color="chalk.pink" fontSize="13px">
          {withdraw.error.message}
        </Text>
      )}
    </Box>
  );
}
