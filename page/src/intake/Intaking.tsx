import { Text } from '@chakra-ui/react';
import { Link, useLocation } from 'react-router';
import { count } from '../shared/format';
import { isRunning, useIntakes } from './sending';

/** Which lots files are being sent into, for those who have gone to another page meanwhile. */
export function Intaking() {
  const here = useLocation().pathname;
  const running = [...useIntakes().values()].filter(isRunning).filter(({ lot }) => here !== `/lots/${lot.id}`);
  return running.map(({ lot, done, total }) => (
    <Text key={lot.id} role="status" truncate maxWidth="320px" textDecoration="underline">
      <Link to={`/lots/${lot.id}`}>
        Taking in {done} of {count(total, 'file')}, {lot.name}
      </Link>
    </Text>
  ));
}
