import { Text } from '@chakra-ui/react';
import { useSyncExternalStore } from 'react';
import { connection } from '../api/events';

/** Says so while the server cannot be reached; nothing is shown while it can. */
export function Offline() {
  const online = useSyncExternalStore(connection.subscribe, connection.online);
  if (online) return null;
  return (
    <Text
      role="status"
      bg="chalk.pink"
      color="white"
      px="2"
      borderRadius="yard"
      whiteSpace="nowrap"
      title="It goes on asking. Start the server again with ./yard demo; nothing is lost."
    >
      No answer; still asking. Nothing is lost.
    </Text>
  );
}
