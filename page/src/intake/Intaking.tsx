import { Text } from '@chakra-ui/react';
import { Link, useLocation } from 'react-router';
import { count } from '../shared/format';
import { isRunning, useIntakes } from './sending';

/** Which lots files are being sent into, for those who have gone to another page meanwhile; `brief` without the lots' names. */
export function Intaking({ brief = false }: { brief?: boolean }) {
  const here = useLocation().pathname;
  const running = [...useIntakes().values()].filter(isRunning).filter(({ lot }) => here !== `/lots/${lot.id}`);
  return running.map(({ lot, done, total }) => (
    <Text key={lot.id} role="status" truncate maxWidth="320px" textDecoration="underline">
      <Link to={`/lots/${lot.id}`} title={brief ? lot.name : undefined}>
        Taking in {done} of {brief ? total.toLocaleString('en') : `${count(total, 'file')}, ${lot.name}`}
      </Link>
    </Text>
  ));
}
