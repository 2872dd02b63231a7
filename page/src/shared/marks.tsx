import { Box } from '@chakra-ui/react';

export type Standing = 'fix' | 'look' | 'ready' | 'failed' | 'waiting';

export const standings: Record<Standing, { word: string; colour: string }> = {
  fix: { word: 'Fix', colour: 'chalk.pink' },
  look: { word: 'Look', colour: 'chalk.yellow' },
  ready: { word: 'Ready', colour: 'chalk.green' },
  failed: { word: 'Failed', colour: 'slate' },
  waiting: { word: 'Waiting', colour: 'slate.quiet' },
};

/** Where a photo stands: its verdict once it is done. */
export function standingOf(photo: { state: string; verdict?: string | null }): Standing {
  if (photo.state === 'failed') return 'failed';
  if (photo.state !== 'done') return 'waiting';
  return (photo.verdict ?? 'waiting') as Standing;
}

/** Whether a photo wants a person. */
export const wantsPerson = (photo: { state: string; verdict?: string | null }) =>
  ['fix', 'look', 'failed'].includes(standingOf(photo));

/** The mark of a standing; told by its shape as well as its colour. */
export function Mark({ standing, size = 12 }: { standing: Standing; size?: number }) {
  const { word, colour } = standings[standing];
  return (
    <Box as="span" display="inline-flex" color={colour} flex="none" role="img" aria-label={word}>
      <svg width={size} height={size} viewBox="0 0 12 12" aria-hidden="true">
        {standing === 'fix' && <path d="M6 0l6 6-6 6-6-6z" fill="currentColor" />}
        {standing === 'look' && <circle cx="6" cy="6" r="4.6" fill="white" stroke="currentColor" strokeWidth="2.4" />}
        {standing === 'ready' && <rect width="12" height="12" rx="1.5" fill="currentColor" />}
        {standing === 'failed' && (
          <path d="M1.5 1.5l9 9M10.5 1.5l-9 9" stroke="currentColor" strokeWidth="2.6" strokeLinecap="round" />
        )}
        {standing === 'waiting' && (
          <path d="M1 6h2.4M4.8 6h2.4M8.6 6H11" stroke="currentColor" strokeWidth="2.4" strokeLinecap="round" />
        )}
      </svg>
    </Box>
  );
}

/** What a check is called in front of a person. */
const checkNames: Record<string, string> = {
  'off-white': 'Off-white backdrop',
  'lost-highlights': 'Lost highlights',
  'lost-shadows': 'Lost shadows',
  cast: 'Cast',
  'too-alike': 'Too alike',
  'out-of-focus': 'Out of focus',
  'soft-picture': 'Soft picture',
  'odd-one-out': 'Odd one out',
  'left-behind': 'Left behind',
  'out-of-srgb': 'Out of sRGB',
  'tinted-neutral': 'Tinted neutral',
  'missing-part': 'Missing part',
  'fine-detail': 'Fine detail',
  'weak-outline': 'Weak outline',
  'stray-piece': 'Stray piece',
  ghosts: 'Ghost',
  pinholes: 'Pinhole',
  fringe: 'Fringe',
  'ragged-edge': 'Ragged edge',
  'cut-off': 'Cut off by the frame',
  framing: 'Framing',
  file: 'File',
};

export const checkName = (check: string) => checkNames[check] ?? check;
